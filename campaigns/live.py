"""Drives recorded over a bus and over an adapter: the table from the recording against that from the file."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np

from campaigns.runner import Campaign, Trial
from lean_trim.core.data.log import Log
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.pipeline.solve import Solution, solve
from lean_trim.core.pipeline.summary import summary_of
from lean_trim.formats.logs import open_log
from lean_trim.formats.recording.journal import Journal
from lean_trim.live.rates import rates_in
from lean_trim.live.recorder import Recorder
from lean_trim.live.registry import make_sources
from lean_trim.live.source import Clock
from lean_trim.simcar.drive import simulate
from lean_trim.simcar.heron import heron
from lean_trim.simcar.stand_in.adapter import Manner, StandInAdapter
from lean_trim.simcar.stand_in.broadcast import StandInBus, dbc_text
from lean_trim.simcar.stand_in.ecu import StandInEcu
from lean_trim.simcar.truth import truth_for

COUNT = 6
MINUTES = 12.0
BUS_PACE = 60.0
OBD_PACE = 12.0
OBD_HZ = (5.0, 8.0, 10.0)
REQUESTS = 2
"""For all that is asked fast."""
OWN_S = 0.0015
"""What a stand-in takes beside its delay."""
DRIVEN_S = 1.0
MOST_APART_PCT = 0.1
LEAST_WITHIN = 0.9
LOOK_S = 0.05
LONGEST_S = 600.0


def _prepare(folder: Path) -> object:
    return None


def _until(done: Callable[[], bool]) -> None:
    until = time.monotonic() + LONGEST_S
    while not done():
        assert time.monotonic() < until, "the recording never ended"
        time.sleep(LOOK_S)


def over_bus(folder: Path, log: Log) -> Path:
    """Record a drive from a bus of this process, in its own time stamps; returns the recording."""
    import can

    name = folder.name
    dbc = folder / "car.dbc"
    dbc.write_text(dbc_text(log), encoding="utf-8")
    kept = folder / "bus.ltrec"
    clock = Clock(BUS_PACE)
    with can.Bus(interface="virtual", channel=name, preserve_timestamps=True) as bus:
        sources = make_sources([f"can:virtual/{name}?dbc={dbc}&stamps=own"], clock)
        recorder = Recorder(sources, clock, Journal(kept))
        recorder.start()
        time.sleep(1.0)
        zero = clock.now()
        with StandInBus(bus, log, lambda: clock.now() - zero) as car:
            _until(lambda: car.is_over)
        _until(lambda: recorder.state.sources[0].readings >= 5 * len(log))
        recorder.stop()
    return kept


def over_adapter(folder: Path, log: Log, hz: float) -> Path:
    """Record a drive from an ECU behind an adapter of some rate; returns the recording."""
    kept = folder / "obd.ltrec"
    clock = Clock(OBD_PACE)
    zero = [0.0]
    delay_s = max(0.0, 1.0 / (REQUESTS * hz * OBD_PACE) - OWN_S)
    ecu = StandInEcu(log)
    with StandInAdapter(
        ecu, folder / "obd", lambda: clock.now() - zero[0], Manner(delay_s=delay_s)
    ):
        recorder = Recorder(make_sources([f"obd:{folder / 'obd'}"], clock), clock, Journal(kept))
        recorder.start()
        _until(lambda: recorder.state.sources[0].readings > 0)
        zero[0] = clock.now()
        _until(lambda: clock.now() - zero[0] > log.duration_s)
        recorder.stop()
    return kept


def _true_pct(vehicle: Vehicle) -> np.ndarray:
    axes = [a.points for a in vehicle.table.axes]
    at = tuple(p.ravel() for p in np.meshgrid(*axes, indexing="ij"))
    true = truth_for(vehicle).airflow_value(vehicle, at).reshape(vehicle.table.shape)
    return np.asarray(100.0 * (true / vehicle.table.values - 1.0))


def _within(solution: Solution, needed: np.ndarray) -> tuple[float, float]:
    """Share of driven cells within two standard errors of the truth, and their rms error, percent."""
    estimate = solution.estimate
    error = np.hypot(estimate.own_error_pct, summary_of(solution).shared_error_pct)
    driven = estimate.seconds > DRIVEN_S
    off = (estimate.correction_pct - needed)[driven]
    return float(np.mean(np.abs(off) < 2.0 * error[driven])), float(np.sqrt(np.mean(off**2)))


def _trial(folder: Path, seed: int) -> Trial:
    car = heron()
    log = simulate(car, 100 + seed, MINUTES)
    place = folder / f"t{seed}"
    place.mkdir(exist_ok=True)
    is_bus = seed % 2 == 0
    hz = OBD_HZ[seed // 2 % len(OBD_HZ)]
    kept = over_bus(place, log) if is_bus else over_adapter(place, log, hz)
    heard = open_log(kept, car.stoich_afr, vehicle=car).mapped
    file, live = solve([log], car), solve([heard.log], car)
    needed = _true_pct(car)
    apart = np.abs(live.estimate.correction_pct - file.estimate.correction_pct)
    driven = file.estimate.seconds > DRIVEN_S
    kept.unlink()
    within, rms = _within(live, needed)
    return {
        "way": "bus" if is_bus else "adapter",
        "hz": float(np.median(list(rates_in(heard.log).values()))),
        "doubts": list(heard.doubts),
        "apart": float(apart[driven].max()),
        "apart_anywhere": float(np.nanmax(apart)),
        "within": within,
        "rms": rms,
        "rms_file": _within(file, needed)[1],
    }


def _table(results: Sequence[Trial]) -> list[str]:
    lines = [
        f"{MINUTES:g} minutes of Heron, recorded from a bus that broadcasts (a DBC as fine as the file) and "
        "from an ECU behind an adapter (1 kPa, 0.8 % trims), solved, and held against the file of the drive "
        "and the truth.",
        "",
        "| way | median rate, Hz | doubts | most apart from the file, driven cells, % | anywhere, % | "
        "driven cells within 2 σ of the truth | off the truth, rms % | of the file, rms % |",
        "|---|---|---|---|---|---|---|---|",
    ]
    for r in sorted(results, key=lambda r: (r["way"], r["hz"])):
        lines.append(
            f"| {r['way']} | {r['hz']:.1f} | {len(r['doubts'])} | {r['apart']:.2f} | "
            f"{r['apart_anywhere']:.2f} | {100 * r['within']:.0f} % | {r['rms']:.2f} | {r['rms_file']:.2f} |"
        )
    lines += [
        "",
        f"Wanted: a bus within {MOST_APART_PCT:g} %, an adapter {100 * LEAST_WITHIN:.0f} %.",
    ]
    return lines


def _failed(results: Sequence[Trial]) -> list[Trial]:
    return [
        r
        for r in results
        if (r["way"] == "bus" and r["apart"] > MOST_APART_PCT)
        or (r["way"] == "adapter" and r["within"] < LEAST_WITHIN)
    ]


CAMPAIGN = Campaign(
    title="Recorded drives",
    count=COUNT,
    prepare=_prepare,
    trial=_trial,
    table=_table,
    failed=_failed,
)
