"""Files written by other libraries read equal."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import polars as pl
import pyarrow as pa
import pyarrow.feather as feather
import pyarrow.parquet as pq
import pytest
import zstandard

from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.data.placing import place
from lean_trim.core.errors import CancelledError, LogError
from lean_trim.formats.logs import hash_file, open_log

N = 3000
TIME = np.arange(N) * 0.02
RPM = np.round(2000 + 500 * np.sin(TIME), 1)
PRESSURE = np.round(50 + 20 * np.cos(TIME), 2)
NAMES = {
    "Time [s]": TIME,
    "Engine Speed [rpm]": RPM,
    "MAP [kPa]": PRESSURE,
    "Wideband": 1 + 0.05 * np.sin(3 * TIME),
    "Oil": TIME,
}


def write(kind: str, path: Path) -> None:
    # Imported here, for above they would cost every worker a second.
    import pandas as pd
    from asammdf import MDF, Signal

    if kind == "polars csv":
        pl.DataFrame(NAMES).write_csv(path)
    elif kind == "pandas csv":
        pd.DataFrame(NAMES).to_csv(path, index=False, sep=";", decimal=",")
    elif kind == "polars zst":
        path.write_bytes(zstandard.compress(pl.DataFrame(NAMES).write_csv().encode()))
    elif kind == "polars parquet":
        pl.DataFrame(NAMES).write_parquet(path)
    elif kind == "pyarrow parquet":
        pq.write_table(pa.table(NAMES), path)
    elif kind == "pandas parquet":
        frame = pd.DataFrame(NAMES)
        frame["Time [s]"] = pd.to_datetime(frame["Time [s]"] + 1.7e9, unit="s")
        frame.to_parquet(path)
    elif kind == "pyarrow feather":
        feather.write_feather(pa.table(NAMES), str(path), compression="zstd")
    elif kind == "asammdf":
        with MDF(version="4.10") as mdf:
            mdf.append(
                [
                    Signal(v, TIME, name=n.split(" [")[0], unit=n.partition("[")[2].rstrip("]"))
                    for n, v in list(NAMES.items())[1:]
                ]
            )
            mdf.save(path, overwrite=True)


@pytest.mark.parametrize(
    "kind",
    [
        "polars csv",
        "pandas csv",
        "polars zst",
        "polars parquet",
        "pyarrow parquet",
        "pandas parquet",
        "pyarrow feather",
        "asammdf",
    ],
)
def test_files_of_other_libraries_read_equal(tmp_path: Path, kind: str) -> None:
    """The name's ending says nothing true, to show that contents decide."""
    path = tmp_path / ("log.mf4" if kind == "asammdf" else "log.xyz")
    write(kind, path)
    opened = open_log(path, 14.7)
    assert opened.mapped.doubts == ()
    np.testing.assert_allclose(opened.log.time_s - opened.log.time_s[0], TIME, atol=1e-6)
    np.testing.assert_allclose(opened.log[Role.RPM], RPM)
    np.testing.assert_allclose(opened.log[Role.MAP], PRESSURE)
    np.testing.assert_allclose(opened.log[Role.LAMBDA], NAMES["Wideband"])
    assert opened.sha256 == hash_file(path)


def test_slow_mdf_channels_are_held_and_their_updates_told(tmp_path: Path) -> None:
    slow_t = TIME[::25]
    slow = np.round(80 + slow_t / 10, 3)
    late_t = TIME[1500::5]
    late = np.full(300, 14.0)
    path = tmp_path / "rates.mf4"
    from asammdf import MDF, Signal

    with MDF(version="4.10") as mdf:
        mdf.append([Signal(RPM, TIME, name="RPM", unit="rpm")])
        mdf.append([Signal(slow, slow_t, name="Coolant", unit="°C")])
        mdf.append([Signal(late, late_t, name="Battery", unit="V")])
        mdf.save(path)
    log = open_log(path, 14.7).log
    np.testing.assert_allclose(log[Role.COOLANT], np.repeat(slow, 25)[:N])
    np.testing.assert_array_equal(
        np.flatnonzero(log.update_mask(Role.COOLANT)), np.arange(0, N, 25)
    )
    assert np.isnan(log[Role.BATTERY][:1500]).all()
    assert set(np.unique(log[Role.BATTERY][1500:])) == {14.0}


@pytest.mark.parametrize(
    ("version", "formula", "is_right"),
    [
        ("4.10", "2*X1", True),
        ("4.10", "foo(X1)", False),
        ("4.10", "X1 +* 2", False),
        ("3.30", "2*X", True),
        ("3.30", "foo(X)", False),
    ],
)
def test_what_a_formula_cannot_make_of_an_mdf_channel_is_a_doubt_and_no_reading(
    tmp_path: Path, version: str, formula: str, is_right: bool
) -> None:
    """The library hands on what was recorded; half an engine speed once was taken for one."""
    from asammdf import MDF, Signal

    path = tmp_path / f"formula.{'mf4' if version[0] == '4' else 'mdf'}"
    with MDF(version=version) as mdf:
        mdf.append(
            [
                Signal(RPM, TIME, name="Engine speed", unit="rpm", conversion={"formula": formula}),
                Signal(PRESSURE, TIME, name="MAP", unit="kPa"),
                Signal(NAMES["Wideband"], TIME, name="Lambda", unit=""),
            ]
        )
        mdf.save(path)
    opened = open_log(path, 14.7)
    doubts = {m.role: m.doubt for m in opened.mapped.matches if m.doubt}
    if is_right:
        np.testing.assert_allclose(opened.log[Role.RPM], 2.0 * RPM)
        assert doubts == {}
    else:
        assert "cannot be evaluated" in doubts[Role.RPM]
        assert np.isnan(opened.log[Role.RPM]).all()


def test_held_values_expire_instead_of_being_invented() -> None:
    rows = np.arange(0.0, 6.0, 0.05)
    values, fresh = place(np.array([0.0, 0.1, 0.2, 5.0]), np.arange(4.0), rows, Role.LAMBDA)
    assert values[5] == 2.0
    assert np.isnan(values[60])
    assert values[100] == 3.0
    assert fresh.sum() == 4


def test_what_moves_with_the_engine_is_joined_by_a_line_but_never_across_a_fuel_cut() -> None:
    rows = np.arange(0.0, 1.0, 0.1)
    line, _ = place(np.array([0.0, 0.4, 0.8]), np.array([10.0, 50.0, 90.0]), rows, Role.RPM)
    np.testing.assert_allclose(line[:9], 10.0 + 100.0 * rows[:9])
    cut, _ = place(np.array([0.0, 0.4, 0.8]), np.array([4.0, 0.0, 4.0]), rows, Role.PULSE_WIDTH)
    assert set(cut[:9]) == {4.0, 0.0}


def test_repeated_values_of_a_slow_text_channel_are_known_for_what_they_are(tmp_path: Path) -> None:
    slow = np.repeat(RPM[::10], 10)[:N]
    log = Log(TIME, {Role.RPM: RPM, Role.MAP: slow})
    assert log.update_mask(Role.RPM).all()
    assert abs(int(log.update_mask(Role.MAP).sum()) - 300) <= 2


def test_a_truncated_last_line_is_dropped(tmp_path: Path) -> None:
    text = pl.DataFrame(NAMES).write_csv()
    path = tmp_path / "cut.csv"
    path.write_text(text[: text.rindex(",") - 6])
    log = open_log(path, 14.7).log
    assert len(log) == N - 1
    np.testing.assert_allclose(log[Role.RPM], RPM[:-1])


def test_many_blocks_read_like_one(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "log.csv"
    write("polars csv", path)
    whole = open_log(path, 14.7).log
    monkeypatch.setattr("lean_trim.formats.decode.text.text_log.BLOCK_BYTES", 5000)
    monkeypatch.setattr("lean_trim.formats.decode.text.text_log.HEAD_BYTES", 4000)
    shares: list[float] = []
    parts = open_log(path, 14.7, progress=lambda share: shares.append(share) is None).log
    for role, values in whole.channels.items():
        np.testing.assert_array_equal(parts[role], values)
    assert len(shares) > 5
    assert shares == sorted(shares)
    with pytest.raises(CancelledError, match="nothing was changed"):
        open_log(path, 14.7, progress=lambda share: False)


def test_a_file_that_vanishes_and_a_folder_are_named(tmp_path: Path) -> None:
    with pytest.raises(LogError, match=r"gone.csv: cannot be read \(No such file"):
        open_log(tmp_path / "gone.csv", 14.7)
    with pytest.raises(LogError, match="is a folder"):
        open_log(tmp_path, 14.7)
    path = tmp_path / "log.csv"
    write("polars csv", path)

    def vanish(share: float) -> bool:
        path.unlink(missing_ok=True)
        return True

    with pytest.raises(LogError, match=r"log.csv: cannot be read"):
        open_log(path, 14.7, progress=vanish)
