"""Text logs: variants that must read equal, names in several languages, and files that cannot be logs."""

from __future__ import annotations

import gzip
import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from lean_trim.core.data.channels import LABELS, Role
from lean_trim.core.data.log import Log
from lean_trim.core.decision.proposal import PolicySettings, propose
from lean_trim.core.errors import LogError
from lean_trim.core.pipeline.solve import Solution
from lean_trim.core.pipeline.summary import summary_of
from lean_trim.formats.logs import open_log, parse_rows, row_lines, write_log_csv
from lean_trim.formats.meaning.names import role_of, split_unit
from lean_trim.formats.round_json import round_dict

ROWS = [
    (0.0, 900.0, 35.25, 1.01),
    (0.1, 950.5, 36.0, 0.99),
    (0.2, 1000.0, 40.75, 1.0),
    (0.3, 1010.0, 41.0, 1.02),
]


def text_of(delimiter: str, comma: bool, units_row: bool, preamble: int, newline: str) -> str:
    lines = [f"Logger export {i}" for i in range(preamble)]
    if units_row:
        lines += [
            delimiter.join(["Time", "Engine Speed", "MAP", "Wideband"]),
            delimiter.join(["s", "rpm", "kPa", "λ"]),
        ]
    else:
        lines += [delimiter.join(["Time [s]", "Engine Speed [rpm]", "MAP (kPa)", "Wideband [λ]"])]
    for row in ROWS:
        cells = [f"{v:.3f}" for v in row]
        lines.append(delimiter.join(c.replace(".", ",") if comma else c for c in cells))
    return newline.join(lines) + newline


@settings(
    max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None
)
@given(
    st.sampled_from([",", ";", "\t"]),
    st.booleans(),
    st.booleans(),
    st.integers(0, 4),
    st.sampled_from(["\n", "\r\n"]),
    st.sampled_from(["utf-8", "utf-8-sig"]),
    st.booleans(),
)
def test_every_variant_reads_the_same(
    tmp_path: Path,
    delimiter: str,
    comma: bool,
    units_row: bool,
    preamble: int,
    newline: str,
    encoding: str,
    packed: bool,
) -> None:
    comma = comma and delimiter != ","
    raw = text_of(delimiter, comma, units_row, preamble, newline).encode(encoding)
    path = tmp_path / "log.csv"
    path.write_bytes(gzip.compress(raw) if packed else raw)
    log = open_log(path, 14.7).log
    expected = np.array(ROWS)
    np.testing.assert_allclose(log.time_s, expected[:, 0])
    for i, role in enumerate((Role.RPM, Role.MAP, Role.LAMBDA), 1):
        np.testing.assert_allclose(log[role], expected[:, i])


def test_latin_1_blank_cells_and_units_are_understood(tmp_path: Path) -> None:
    path = tmp_path / "old.csv"
    path.write_bytes(
        "Zeit;Drehzahl;Saugrohrdruck;Kühlmittel;Lambda\nms;1/min;bar;°F;AFR\n0;900;0,35;185;14,1\n40;;0,36;185;nan\n80;910;0,37;185;12,69\n".encode(
            "latin-1"
        )
    )
    log = open_log(path, 14.1).log
    np.testing.assert_allclose(log.time_s, [0.0, 0.04, 0.08])
    np.testing.assert_allclose(log[Role.MAP], [35, 36, 37])
    np.testing.assert_allclose(log[Role.COOLANT], 85.0)
    np.testing.assert_allclose(log[Role.LAMBDA], [1.0, np.nan, 0.9])
    assert np.isnan(log[Role.RPM][1])


def test_clock_time_across_midnight(tmp_path: Path) -> None:
    path = tmp_path / "clock.csv"
    path.write_text("Time,RPM\n23:59:59.5,900\n23:59:59.9,901\n00:00:00.3,902\n")
    np.testing.assert_allclose(np.diff(open_log(path, 14.7).log.time_s), [0.4, 0.4])


@pytest.mark.parametrize(
    ("name", "role"),
    [
        ("RPM", Role.RPM),
        ("Engine Speed", Role.RPM),
        ("Motordrehzahl", Role.RPM),
        ("Régime moteur", Role.RPM),
        ("MAP", Role.MAP),
        ("Manifold Pressure", Role.MAP),
        ("AFR 1", Role.LAMBDA),
        ("Wideband", Role.LAMBDA),
        ("Lambda Soll", Role.TARGET),
        ("Commanded", Role.TARGET),
        ("Target AFR", Role.TARGET),
        ("STFT Bank 1", Role.STFT),
        ("Long Term Trim", Role.LTFT),
        ("Injector Pulse Width", Role.PULSE_WIDTH),
        ("Einspritzzeit", Role.PULSE_WIDTH),
        ("Injector Duty", Role.DUTY),
        ("Fuel Pressure (diff)", Role.FUEL_DP),
        ("MAF Frequency", Role.MAF_HZ),
        ("Mass Airflow", Role.MAF_FLOW),
        ("IAT", Role.IAT),
        ("Kühlwassertemperatur", Role.COOLANT),
        ("Throttle", Role.THROTTLE),
        ("TPS", Role.THROTTLE),
        ("Vehicle Speed", Role.SPEED),
        ("Gear", Role.GEAR),
        ("Knock Retard", Role.KNOCK),
        ("Spark Advance", Role.SPARK),
        ("Battery", Role.BATTERY),
        ("Closed Loop", Role.CLOSED_LOOP),
        ("Barometer", Role.BARO),
        ("Oil Level", None),
        ("Pression collecteur", Role.MAP),
        ("Papillon", Role.THROTTLE),
        ("Temps d'injection", Role.PULSE_WIDTH),
        ("Régime", Role.RPM),
        ("Température d'eau", Role.COOLANT),
        ("Richesse cible", Role.TARGET),
        ("Vitesse véhicule", Role.SPEED),
        ("Presión de admisión", Role.MAP),
        ("Mariposa", Role.THROTTLE),
        ("Temperatura refrigerante", Role.COOLANT),
        ("Corrección corto plazo", Role.STFT),
        ("Velocidad", Role.SPEED),
        ("Saugrohrdruck", Role.MAP),
        ("Kurzzeit-Trim", Role.STFT),
        ("Zündwinkel", Role.SPARK),
        ("Bordnetzspannung", Role.BATTERY),
        ("Batería", Role.BATTERY),
        ("Lambda Sonde Breitband", Role.LAMBDA),
    ],
)
def test_names_are_recognised(name: str, role: Role | None) -> None:
    assert role_of(name) is role


def test_every_label_of_ours_is_recognised_as_itself() -> None:
    for role, (label, _) in LABELS.items():
        # An engine has several cams: the sheet names the column, no name is guessed.
        wanted = None if role is Role.TABLE_POSITION else role
        assert role_of(label) is wanted, label


def test_units_in_brackets_are_split_off() -> None:
    assert split_unit("Boost [psi]") == ("Boost", "psi")
    assert split_unit("Fuel Pressure (diff)") == ("Fuel Pressure diff", "")
    assert split_unit("Lambda (Ist)") == ("Lambda Ist", "")
    assert split_unit("MAP (parsec)") == ("MAP", "parsec")
    assert split_unit("ECT_C") == ("ECT", "C")
    assert split_unit("Manifold Pressure, kPa") == ("Manifold Pressure", "kPa")
    assert split_unit("RPM_max") == ("RPM_max", "")
    assert split_unit("RPM") == ("RPM", "")


@pytest.mark.parametrize(
    ("content", "words"),
    [
        (b"", "the file is empty"),
        (bytes(range(256)) * 20, "binary file"),
        (b"Time,RPM\n", "no row of numbers"),
        (b"0.1,900\n0.2,910\n0.3,920\n", "no header"),
        (b"just some words\nand more\n", "no row of numbers"),
        (b"words\nmore\n", "no columns found"),
        (b"RPM,MAP\n900,30\n910,31\n", "no time column"),
        (b"Time,RPM\n0,900\n", "1 rows with a time; at least 2"),
        (b"Time,RPM\n5,900\n5,910\n", "all rows have the same time"),
        (b"Time;RPM\n" + b"x" * 2_000_000, "no row of numbers below it"),
        (b"y" * 2_000_000, "first line is longer than 1048576 bytes"),
        (
            b",".join(b"c%d" % i for i in range(100_000))
            + b"\n"
            + b",".join([b"1"] * 100_000)
            + b"\n",
            "100000 columns; allowed are up to 5000",
        ),
        (b"PAR1\x15 and then nothing that fits", "cannot be read as Parquet"),
        (b"ARROW1\x00 and then nothing that fits", "cannot be read as Arrow"),
        (b"MDF     4.10    and then nothing that fits" + b"\x01" * 200, "cannot be read as MDF"),
        (b"\x28\xb5\x2f\xfdbroken", "damaged"),
        (b"\x1f\x8b\x08\x00broken", "damaged"),
    ],
)
def test_what_cannot_be_a_log_is_refused_in_one_sentence(
    tmp_path: Path, content: bytes, words: str
) -> None:
    path = tmp_path / "log.csv"
    path.write_bytes(content)
    with pytest.raises(LogError) as error:
        open_log(path, 14.7)
    assert words in str(error.value)
    assert "log.csv" in str(error.value)
    assert "\n" not in str(error.value)


@settings(
    max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(st.binary(max_size=600))
def test_arbitrary_bytes_are_read_or_refused_but_never_crash(
    tmp_path: Path, content: bytes
) -> None:
    path = tmp_path / "junk.csv"
    path.write_bytes(content)
    try:
        log = open_log(path, 14.7).log
    except LogError:
        return
    assert len(log) >= 2


def test_a_log_survives_export_and_the_stream(tmp_path: Path, heron_log: Log) -> None:
    write_log_csv(heron_log, tmp_path / "out.csv")
    back = open_log(tmp_path / "out.csv", 14.1).log
    assert set(back.channels) == set(heron_log.channels)
    streamed = parse_rows(list(heron_log.channels), row_lines(heron_log).splitlines(), "s")
    for role, values in heron_log.channels.items():
        np.testing.assert_allclose(back[role], values, atol=1e-4)
        np.testing.assert_allclose(streamed[role], values, atol=1e-4)


def test_round_json_holds_what_the_contract_names(heron_solution: Solution) -> None:
    proposal = propose(
        heron_solution.estimate, PolicySettings(), heron_solution.frame.vehicle.limits
    )
    data = json.loads(json.dumps(round_dict(summary_of(heron_solution), proposal), allow_nan=False))
    assert len(data["cells"]) == heron_solution.estimate.table.size
    assert {
        "correction_pct",
        "std_error_pct",
        "seconds",
        "visits",
        "status",
        "map_kpa",
        "rpm",
    } <= set(data["cells"][0])
    assert data["samples"]["total"] == len(heron_solution.frame.log)
    assert data["samples"]["left_out"]["cold"] > 0
    assert {"id", "severity", "first_time_s", "seconds", "message"} <= set(data["findings"][0])
    assert {"cycles", "exhaust_volume_l", "sensor_s"} <= set(data["delay"])


def test_a_reader_that_panics_ends_in_a_sentence(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    class PanicException(BaseException):
        """As compiled readers raise it."""

    def panic(*_: object, **__: object) -> None:
        raise PanicException("index out of bounds")

    monkeypatch.setattr("lean_trim.formats.decode.columnar._columns", panic)
    (tmp_path / "a.parquet").write_bytes(b"PAR1" + bytes(100))
    with pytest.raises(LogError, match="a.parquet: cannot be read as Parquet; the file is damaged"):
        open_log(tmp_path / "a.parquet", 14.7)
