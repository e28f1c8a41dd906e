"""What the ECU did at each sample.

Which cells it read, how much air it believed in, how much fuel it asked for.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from lean_trim.core import physics
from lean_trim.core.data.channels import Role
from lean_trim.core.data.holes import NO_HOLES, Holes, bridged, held
from lean_trim.core.data.log import Log, as_loop, fill_missing
from lean_trim.core.data.tables import Interpolation, Table
from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.drive.coordinates import (
    DEFAULT_VOLTS,
    believed_air_g,
    coordinates,
    fuel_is_told,
    moves_its_axis,
    stoich_along,
)
from lean_trim.core.drive.duty import bears_out, duty_will_do, with_width_from_duty
from lean_trim.core.drive.fuel_pressure import PressureKind, with_fuel_dp
from lean_trim.core.drive.gauge import UNKNOWN_GAUGE, Gauge, GaugeWord, put_right, read_gauge
from lean_trim.core.drive.narrowband import cycle_mean_stft, running_mean, with_loop_lambda
from lean_trim.core.drive.two_airflows import TwoAirflows, told_by_width, two_airflows
from lean_trim.core.errors import LogError
from lean_trim.core.messages import Message
from lean_trim.core.types import Floats, Mask


class Say:
    """Sentences of this module."""

    NO_TARGET = Message(
        "frame.no_target",
        "{name} has no target lambda, and no target table to look it up in; give one of the two",
    )
    OTHER_LAYERS = Message(
        "frame.other_layers",
        "{name} was driven on other tables: of an ECU that blends several VE tables only drives on the "
        "present ones can be used",
    )
    NO_LAMBDA = Message(
        "frame.no_lambda",
        "{name}: lambda holds no number at all; name the column and unit that hold it",
    )


@dataclass(frozen=True, eq=False)
class Piece:
    """Samples ``start`` to ``stop`` of a joined log.

    Where they came from, and the table they were driven on if another.
    """

    name: str
    start: int
    stop: int
    table: Table | None = None


@dataclass(frozen=True, eq=False)
class Frame:
    """A log seen through the calibration it was driven on. All arrays have shape (n,) unless said otherwise.

    Attributes
    ----------
    coordinates : those of the airflow table, in the order of its axes.
    mesh : cells and weights the ECU interpolated.
    base : the present table's value there, in its unit.
    driven_base : the value of the table that was in the ECU; differs from ``base`` in logs of
        another revision.
    air_g : air per cylinder and cycle the ECU believed in, g.
    flow_g_per_s : the same as engine airflow.
    target : target lambda (logged, else looked up).
    trim : (1 + STFT)(1 + LTFT), 1 where not logged; STFT averaged over whole swings of a narrowband
        loop that has no wideband beside it. A long-term trim that was not logged is read from the
        slow part of the pulse width.
    fuel_ratio : fuel by logged pulse width over fuel by table, target and trims; NaN where it
        cannot be known. Injector data cancels in it, so it shows enrichments, not injector errors.
    pieces : the logs it was joined from, in order; empty if that is not known.
    width_from_duty : the log's pulse width was worked out from its injector duty.
    pressure : what the logged fuel pressure turned out to be; the frame's log holds differential
        pressure or none.
    holes : what was not recorded or cannot be; the frame's log has short ones bridged.
    gauge : what is known of the lambda gauge; its error is taken off the frame's lambda.
    lambda_of_loop : no lambda was logged; what a working loop holds on average stands for it.
    two : both airflows of a blended ECU; ``air_g`` and ``flow_g_per_s`` are then what was in force.
    """

    log: Log
    vehicle: Vehicle
    coordinates: tuple[Floats, ...]
    mesh: Interpolation
    base: Floats
    driven_base: Floats
    air_g: Floats
    flow_g_per_s: Floats
    target: Floats
    trim: Floats
    fuel_ratio: Floats
    pieces: tuple[Piece, ...] = ()
    width_from_duty: bool = False
    pressure: PressureKind = PressureKind.ABSENT
    holes: Holes = NO_HOLES
    lambda_of_loop: bool = False
    gauge: Gauge = UNKNOWN_GAUGE
    two: TwoAirflows | None = None


def target_lambda(log: Log, vehicle: Vehicle) -> Floats:
    """Target lambda: logged values first, else the target table, else LogError.

    Parameters
    ----------
    log : a log.
    vehicle : with its target table, if it has one.

    Returns
    -------
    Lambda, shape (n,).

    Raises
    ------
    LogError
        If neither tells it.
    """
    logged = log.get(Role.TARGET)
    missing = ~np.isfinite(logged)
    if not missing.any():
        return logged
    target = logged.copy()
    looked_up = target_by_table(log, vehicle)
    if looked_up is not None:
        target = np.where(missing, looked_up, target)
    if Role.TARGET not in log and not np.isfinite(target).any():
        raise LogError(Say.NO_TARGET(name=log.name))
    return target


def target_by_table(log: Log, vehicle: Vehicle) -> Floats | None:
    """What the vehicle's target table says along a log.

    Parameters
    ----------
    log : a log.
    vehicle : with its target table, if it has one.

    Returns
    -------
    Lambda, shape (n,); None without a table, or without the channels it is read by.
    """
    if vehicle.target is None:
        return None
    try:
        return vehicle.target.lookup(*coordinates(log, vehicle, vehicle.target))
    except LogError:
        return None


def make_frame(
    log: Log, vehicle: Vehicle, pieces: tuple[Piece, ...] = (), gauge_word: GaugeWord = "unsaid"
) -> Frame:
    """Look the calibration up along the log.

    ``pieces`` tell which part was driven on another revision of the table.

    Parameters
    ----------
    log : a log, perhaps joined from several.
    vehicle : with the table that is to be corrected.
    pieces : where each of the joined logs lies, and the table it was driven on if another.
    gauge_word : what the user says of the lambda gauge.

    Returns
    -------
    What the ECU read, believed and asked for at every sample.

    Raises
    ------
    LogError
        If lambda, engine speed or a coordinate of the airflow table is missing. A loop with a
        logged trim needs no lambda.
    """
    log, holes = bridged(log)
    log, kind = with_fuel_dp(
        log, vehicle.injectors.rated_pressure_kpa, vehicle.injectors.pressure_reference
    )
    # Duty is believed only if the calibration then explains the fuel; else it may be of another
    # kind.
    if duty_will_do(log):
        frame = _look_up(with_width_from_duty(log), vehicle, pieces, gauge_word)
        if bears_out(frame.fuel_ratio):
            return replace(frame, width_from_duty=True, pressure=kind, holes=holes)
    return replace(_look_up(log, vehicle, pieces, gauge_word), pressure=kind, holes=holes)


def _look_up(log: Log, vehicle: Vehicle, pieces: tuple[Piece, ...], gauge_word: GaugeWord) -> Frame:
    if vehicle.layers and any(piece.table is not None for piece in pieces):
        raise LogError(Say.OTHER_LAYERS(name=log.name))
    at = coordinates(log, vehicle)
    # What a loop holds on average is all there is where its sensor was not logged.
    of_loop = Role.LAMBDA not in log and vehicle.feedback != "none" and Role.STFT in log
    swings = of_loop and vehicle.feedback == "narrowband"
    if not of_loop:
        log.require([Role.LAMBDA])
    target = target_lambda(log, vehicle)
    if of_loop:
        told, target = with_loop_lambda(log, target, narrowband=swings)
        # Trims that never work say nothing: it is the sensor that is missing.
        if not np.isfinite(told[Role.LAMBDA]).any():
            log.require([Role.LAMBDA])
        log = told
    gauge = read_gauge(log, vehicle, target, gauge_word) if not of_loop else UNKNOWN_GAUGE
    log = put_right(log, gauge, target)
    if not np.isfinite(log[Role.LAMBDA]).any():
        raise LogError(Say.NO_LAMBDA(name=log.name))
    mesh = mesh_along(vehicle.table, at)
    base = read_along(mesh, vehicle.table.values)
    driven = _driven_base(base, at, pieces)
    # What the ECU believed follows from the table that was in it, not from the one corrected now.
    air_g = believed_air_g(log, vehicle, driven, target)
    long = 1 + fill_missing(log.get(Role.LTFT, 0.0)) / 100
    applied = (1 + fill_missing(log.get(Role.STFT, 0.0)) / 100) * long
    per_air = applied / (stoich_along(log, vehicle) * target)
    two, air_g, ratio = _in_force(log, vehicle, air_g, target, per_air)
    flow = (
        driven
        if vehicle.airflow == "maf" and two is None
        else physics.air_flow_g_per_s(air_g, log[Role.RPM], vehicle.cylinders)
    )
    # A single sample of a swinging trim says nothing; the mean over whole swings does.
    trim = (1 + cycle_mean_stft(log) / 100) * long if swings else applied
    if moves_its_axis(vehicle.table):
        # The next table is read where its own correction takes it, and that is where the evidence
        # belongs.
        with np.errstate(invalid="ignore", divide="ignore"):
            k = applied * log[Role.LAMBDA] / target
        at = (at[0] * np.where(np.isfinite(k), np.clip(k, *AXIS_MOVES), 1.0), *at[1:])
        mesh = mesh_along(vehicle.table, at)
        base = read_along(mesh, vehicle.table.values)
    hidden = hidden_trim(log, vehicle)
    # The slow part of the pulse width is the trim nobody logged; what is left shows enrichments.
    if hidden.any():
        level = np.where(hidden, _slow_level(log, ratio), 1.0)
        trim = trim * level
        ratio = ratio / level
    return Frame(
        log,
        vehicle,
        at,
        mesh,
        base,
        driven,
        air_g,
        flow,
        target,
        trim,
        ratio,
        pieces,
        lambda_of_loop=of_loop,
        gauge=gauge,
        two=two,
    )


def _in_force(
    log: Log, vehicle: Vehicle, own_g: Floats, target: Floats, per_air: Floats
) -> tuple[TwoAirflows | None, Floats, Floats]:
    """Both airflows of a blended ECU, air per stroke by what was in force, and the fuel ratio to it."""
    ratio = _fuel_ratio(log, vehicle, own_g * per_air)
    two = two_airflows(log, vehicle, own_g, target)
    if two is None:
        return None, own_g, ratio
    two = told_by_width(two, log, ratio)
    air_g = two.in_force_g
    return two, air_g, _fuel_ratio(log, vehicle, air_g * per_air)


def _driven_base(base: Floats, at: tuple[Floats, ...], pieces: tuple[Piece, ...]) -> Floats:
    """Value of the table in the ECU along the log."""
    # The common case shares the array, which saves a copy of a long log.
    if all(p.table is None for p in pieces):
        return base
    out = base.copy()
    for piece in pieces:
        if piece.table is not None:
            here = tuple(a[piece.start : piece.stop] for a in at)
            out[piece.start : piece.stop] = read_along(
                mesh_along(piece.table, here), piece.table.values
            )
    return out


def mesh_along(table: Table, at: tuple[Floats, ...]) -> Interpolation:
    """``Table.interpolate`` for whole logs, compiled.

    Parameters
    ----------
    table : a grid or a curve.
    at : one array per axis, each of shape (n,).

    Returns
    -------
    Cells and weights, (n, 4) on a grid, (n, 2) on a curve.
    """
    from lean_trim.core.kernels.mesh_loops import mesh_1d, mesh_2d

    points = [a.points for a in table.axes]
    x = [as_loop(a) for a in at]
    return Interpolation(*(mesh_1d(points[0], x[0]) if len(points) == 1 else mesh_2d(*points, *x)))


def read_along(mesh: Interpolation, values: Floats) -> Floats:
    """Interpolated value of a field of cells at every sample of a mesh, shape (n,).

    Parameters
    ----------
    mesh : cells and weights of n samples.
    values : a value per cell, in the table's shape.

    Returns
    -------
    Interpolated, shape (n,).
    """
    from lean_trim.core.kernels.mesh_loops import read_mesh

    return read_mesh(mesh.cells, mesh.weights, as_loop(values.ravel()))


AXIS_MOVES = (0.5, 2.0)
"""Furthest a sample is moved along an axis that its own correction moves."""
HIDDEN_TRIM_S = 5.0
"""Width of the mean that a trim nobody logged is read from, s."""


def hidden_trim(log: Log, vehicle: Vehicle) -> Mask:
    """Samples of which a trim was not logged but the pulse width shows it, (n,).

    Parameters
    ----------
    log : a log.
    vehicle : with the calibration it was driven on.

    Returns
    -------
    True where a trim is read from the pulse width, shape (n,).
    """
    if vehicle.feedback == "none" or Role.PULSE_WIDTH not in log or not fuel_is_told(vehicle):
        return np.zeros(len(log), bool)
    return ~(np.isfinite(log.get(Role.LTFT)) & np.isfinite(log.get(Role.STFT)))


def _slow_level(log: Log, ratio: Floats) -> Floats:
    """The part of the fuel ratio that stays for seconds: the long-term trim, shape (n,)."""
    half = max(1, round(HIDDEN_TRIM_S / 2 / log.step_s))
    return np.clip(fill_missing(running_mean(ratio, np.isfinite(ratio), half), 1.0), 0.5, 2.0)


def _fuel_ratio(log: Log, vehicle: Vehicle, expected_g: Floats) -> Floats:
    if Role.PULSE_WIDTH not in log or not fuel_is_told(vehicle):
        return np.full(len(log), np.nan)
    volts = held(log[Role.BATTERY]) if Role.BATTERY in log else np.full(len(log), DEFAULT_VOLTS)
    injectors = vehicle.injectors
    open_ms = injectors.open_time_ms(log[Role.PULSE_WIDTH], volts)
    fuel = physics.injected_fuel_g(open_ms, 0.0, injectors.flow_g_per_s)
    with np.errstate(invalid="ignore", divide="ignore"):
        ratio = fuel / expected_g
    return np.where(np.isfinite(ratio) & (fuel > 0), ratio, np.nan)
