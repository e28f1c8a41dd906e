"""Names out of files that become names of tables, tokens or files: nothing leaves its folder or its place."""

from __future__ import annotations

import sqlite3
import time
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lean_trim.core.data.calibration import Calibration
from lean_trim.core.data.tables import Axis, Table
from lean_trim.core.errors import BadInputError, LogError, TableError
from lean_trim.diagnostics.tokens import Tokens
from lean_trim.formats.decode.apart import parent
from lean_trim.formats.decode.apart.mdf import why_not_converted
from lean_trim.formats.logs import open_log
from lean_trim.job.loading import load_job

TABLE = Table((Axis("coolant", "°C", [20.0, 60.0]),), np.array([1.0, 2.0]), "g/s", "x")
BAD_NAMES = (
    "../ve",
    "/etc/passwd",
    "ve/..",
    "",
    " ",
    "Ve",
    "ve ",
    "ve\n",
    "ve\0",
    "1ve",
    "_ve",
    "ve.csv",
    "ve-2",
    "v" * 41,
    "ｖｅ",
    "<img src='/dev/zero'>",
    "'; DROP TABLE rounds; --",
)


@pytest.mark.parametrize("name", BAD_NAMES)
def test_no_table_has_a_name_that_could_not_be_its_files(name: str) -> None:
    with pytest.raises(TableError, match="a calibration has no table"):
        Calibration({"ve": TABLE, name: TABLE})


@pytest.mark.parametrize("name", ["ve", "canister_air", "x" * 40, "t2"])
def test_a_feature_may_name_its_table(name: str) -> None:
    assert name in Calibration({"maf": TABLE, name: TABLE})


@pytest.mark.parametrize("name", ["../ve", "VE", "a b"])
def test_a_job_whose_table_is_named_so_is_refused_in_words(job_path: Path, name: str) -> None:
    with sqlite3.connect(job_path) as db:
        db.execute("UPDATE revision_tables SET name = ? WHERE name = 'target_lambda'", (name,))
        changed = db.total_changes
    # The demo has a target table beside its airflow table.
    assert changed > 0
    with pytest.raises(BadInputError, match="a calibration has no table"):
        load_job(job_path)


WORDS = st.text(alphabet="abcdefghijklmnop", min_size=4, max_size=9)


@given(folder=WORDS, name=WORDS, car=WORDS)
def test_no_name_a_report_knows_of_stays_in_it(folder: str, name: str, car: str) -> None:
    path = f"/home/{folder}x/{name}y.leantrim"
    text = f"opened {path}: 1 rounds\n{car}z was solved\n'{name}y.csv' has 7200 rows\n{path}"
    out = Tokens([path, f"{name}y", f"{car}z"]).without_names(text)
    assert f"{name}y" not in out and f"{car}z" not in out and f"{folder}x" not in out
    assert "7200 rows" in out and out.count("\n") == text.count("\n")


@given(st.text(max_size=200))
def test_any_text_is_taken_and_numbers_stay(text: str) -> None:
    out = Tokens([text[:20]]).without_names(f"{text} 12.5 kPa")
    assert out.endswith("12.5 kPa")


def test_a_path_that_is_known_goes_before_the_name_that_ends_it() -> None:
    tokens = Tokens(["heron", "/data/heron.leantrim"])
    assert tokens.without_names("/data/heron.leantrim heron") == "<name 1> <name 2>"


class Conversion:
    """As an MDF file would have it."""

    def __init__(self, kind: int, formula: str | bytes = "", **numbers: float) -> None:
        self.conversion_type = kind
        self.formula = formula
        self.__dict__.update(numbers)


@pytest.mark.parametrize(
    "formula",
    [
        "__import__('os').system('touch /tmp/evaluated')",
        "open('/etc/passwd').read()",
        "().__class__.__bases__[0].__subclasses__()",
        "X1; X1",
        "lambda: X1",
        "",
        b"2*X\0\0rubbish",
        "(" * 200 + "X1" + ")" * 200,
    ],
)
def test_a_formula_of_a_file_is_evaluated_as_arithmetic_or_not_at_all(formula: str | bytes) -> None:
    why = why_not_converted(Conversion(3, formula))
    assert why == "" or ("cannot be evaluated" in why and len(why) < 120)
    assert not Path("/tmp/evaluated").exists()


@pytest.mark.slow
def test_a_formula_without_end_ends_the_reading_in_a_sentence(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A tower of powers would be worked out for ever; the child that reads has its time."""
    from asammdf import MDF, Signal

    path = tmp_path / "tower.mf4"
    time_s = np.arange(0.0, 10.0, 0.1)
    with MDF(version="4.10") as mdf:
        tower = {"formula": "9**9**9**9**9*X1"}
        mdf.append([Signal(1000.0 + time_s, time_s, name="RPM", unit="rpm", conversion=tower)])
        mdf.save(path)
    monkeypatch.setattr(parent, "READ_S", 1.0)
    began = time.monotonic()
    with pytest.raises(LogError, match=r"tower\.mf4"):
        open_log(path, 14.7)
    assert time.monotonic() - began < 60.0


def test_a_conversion_that_divides_by_nothing_is_said() -> None:
    assert "divides by nothing" in why_not_converted(Conversion(2, P4=0.0, P5=0.0, P6=0.0))
    assert why_not_converted(Conversion(2, P4=0.0, P5=0.0, P6=1.0)) == ""
    assert why_not_converted(None) == why_not_converted(Conversion(1)) == ""
