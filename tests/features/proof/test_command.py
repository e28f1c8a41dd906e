"""``lean-trim prove``: of a table that is in the ECU, of one that is not, and what it refuses."""

from __future__ import annotations

import json
import shutil
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from lean_trim.cli.main import main
from lean_trim.core.data.channels import Role
from lean_trim.core.data.log import Log
from lean_trim.core.errors import BadInputError
from lean_trim.features.registry import FEATURES
from lean_trim.formats.logs import write_log_csv
from lean_trim.formats.round_reading import read_written
from lean_trim.formats.tables import read_table
from lean_trim.formats.vehicle_sheet import write_vehicle
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.godwit import godwit
from lean_trim.simcar.heron import heron

pytestmark = pytest.mark.slow
WIDTHS = (Role.PULSE_WIDTH, Role.DUTY)


@pytest.fixture(scope="module")
def corrected(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A round of the command, and two drives after it: on what it wrote, and on the table before."""
    folder = tmp_path_factory.mktemp("prove")
    car = heron()
    write_vehicle(car, folder)
    write_log_csv(simulate(car, seed=1, minutes=8.0), folder / "first.csv")
    vehicle = ("--vehicle", str(folder / "vehicle.json"))
    words = (*vehicle, "--log", str(folder / "first.csv"), "--out", str(folder / "round"))
    assert main(["correct", *words, "--quiet"], FEATURES) == 0
    written = car.with_table(read_table(folder / "round" / "ve.csv", "ve"))
    for name, driven in (("in", written), ("not_in", car)):
        log = simulate(driven, seed=7, minutes=4.0)
        write_log_csv(log, folder / f"{name}.csv")
        kept = {role: values for role, values in log.channels.items() if role not in WIDTHS}
        write_log_csv(Log(log.time_s, kept), folder / f"{name}_blind.csv")
    return folder


def prove(folder: Path, log: str, out: Path, *words: str) -> int:
    base = ("prove", "--vehicle", str(folder / "vehicle.json"), "--before", str(folder / "round"))
    return main([*base, "--log", str(folder / log), "--out", str(out), *words], FEATURES)


def told(out: Path) -> dict[str, Any]:
    found: dict[str, Any] = json.loads((out / "proof.json").read_text())
    return found


@pytest.mark.parametrize("blind", ["", "_blind"])
def test_a_table_that_is_in_the_ecu_is_proved(
    corrected: Path, tmp_path: Path, blind: str, capsys: pytest.CaptureFixture[str]
) -> None:
    assert prove(corrected, f"in{blind}.csv", tmp_path) == 0
    proof = told(tmp_path)
    assert proof["took"]["in_ecu"] == "whole"
    assert proof["took"]["by"] == ("lambda" if blind else "pulse width")
    assert proof["verdict"] in ("as predicted", "better")
    whole = proof["regions"]["all"]
    assert whole["observed_rms_pct"] < 1.0 < whole["before_rms_pct"]
    said = capsys.readouterr().out
    assert "The table is in the ECU." in said and "Next: " in said


@pytest.mark.parametrize("blind", ["", "_blind"])
def test_a_table_that_did_not_get_in_is_told_before_anything_else(
    corrected: Path, tmp_path: Path, blind: str, capsys: pytest.CaptureFixture[str]
) -> None:
    assert prove(corrected, f"not_in{blind}.csv", tmp_path) == 0
    proof = told(tmp_path)
    assert proof["took"]["in_ecu"] == "none" and proof["verdict"] == "not in the ECU"
    assert proof["stop"] is False and "Write the table" in proof["next"]
    shares = [r["share"] for r in proof["took"]["regions"].values() if r["std_error"] < 0.2]
    assert shares and max(shares) < 0.3
    # What a drive on another table was off by says nothing of the written one.
    assert {r["verdict"] for r in proof["regions"].values()} <= {"cannot be told", "not driven"}
    assert "not known: this drive was not on it" in proof["message"]
    assert "did not get into the ECU" in capsys.readouterr().out


def test_the_sheet_may_name_the_table_that_was_written(corrected: Path, tmp_path: Path) -> None:
    mine = tmp_path / "sheet"
    shutil.copytree(corrected, mine)
    shutil.copy(corrected / "round" / "ve.csv", mine / "ve.csv")
    assert prove(mine, "in.csv", tmp_path / "out", "--quiet") == 0
    assert told(tmp_path / "out")["took"]["in_ecu"] == "whole"


def refusal(capsys: pytest.CaptureFixture[str]) -> str:
    line = capsys.readouterr().err.strip().splitlines()[-1]
    return line


def test_what_is_no_round_of_this_table_is_refused(
    corrected: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    mine = tmp_path / "mine"
    shutil.copytree(corrected, mine)
    path = mine / "round" / "round.json"
    whole = json.loads(path.read_text())
    path.unlink()
    assert prove(mine, "in.csv", tmp_path / "out") == 2
    assert "not found; --before names the folder" in refusal(capsys)
    for text in ("", "[]", '{"cells": 3}', "{" * 100_000):
        path.write_text(text)
        assert prove(mine, "in.csv", tmp_path / "out") == 2
        assert "is no round.json" in refusal(capsys)
    path.write_text(json.dumps({**whole, "cells": whole["cells"][:-1]}))
    assert prove(mine, "in.csv", tmp_path / "out") == 2
    assert "the table of the vehicle sheet has" in refusal(capsys)
    cells = [dict(c) for c in whole["cells"]]
    cells[3]["rpm"] += 50.0
    path.write_text(json.dumps({**whole, "cells": cells}))
    assert prove(mine, "in.csv", tmp_path / "out") == 2
    assert "cell 4 lies at" in refusal(capsys)
    cells = [dict(c) for c in whole["cells"]]
    cells[0]["before"] = -1.0
    path.write_text(json.dumps({**whole, "cells": cells}))
    assert prove(mine, "in.csv", tmp_path / "out") == 2
    assert "no number above 0" in refusal(capsys)
    cells = [{**c, "before": 3 * c["before"], "after": 3 * c["after"]} for c in whole["cells"]]
    path.write_text(json.dumps({**whole, "cells": cells}))
    assert prove(mine, "in.csv", tmp_path / "out") == 2
    assert "neither what" in refusal(capsys) and not (tmp_path / "out").exists()


def test_an_ecu_with_several_tables_is_refused(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    write_vehicle(godwit(), tmp_path)
    words = ("--vehicle", str(tmp_path / "vehicle.json"), "--before", str(tmp_path))
    assert main(["prove", *words, "--log", "none.csv", "--out", str(tmp_path / "o")], FEATURES) == 2
    assert "one airflow table; this one has 2" in refusal(capsys)
    assert np.isfinite(godwit().table.values).all()


def test_the_round_says_what_its_drive_saw_place_by_place(corrected: Path, tmp_path: Path) -> None:
    path = corrected / "round" / "round.json"
    means = read_written(path, heron().table).means
    assert means is not None and len(means) > 200 and means.seconds.sum() > 100.0
    inside = heron().table.inside(*means.at)
    assert inside.all() and 20.0 < means.wanted.min() < means.wanted.max() < 160.0
    kept = json.loads(path.read_text())
    for bad in ({"wanted": [1.0]}, {"error_pct": [0.0] * len(means)}, {"rpm": "all"}):
        odd = tmp_path / "round.json"
        odd.write_text(json.dumps(kept | {"places": kept["places"] | bad}))
        with pytest.raises(BadInputError, match="of places"):
            read_written(odd, heron().table)
    older = tmp_path / "older.json"
    older.write_text(json.dumps({k: v for k, v in kept.items() if k != "places"}))
    assert read_written(older, heron().table).means is None
