"""``sim:`` the simulated car, driven while it is recorded."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from lean_trim.core.data.vehicle import Vehicle
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message, Said
from lean_trim.live.address import Address
from lean_trim.live.played import PACES, Player, readings_of
from lean_trim.live.replay import track_of_log
from lean_trim.live.source import Clock, Reading


class Say:
    """Sentences of this module."""

    NO_VEHICLE = Message(
        "simulated.no_vehicle", "{text}: the simulated car needs a vehicle sheet to drive on"
    )


OPTIONS = ("car", "seed", "pace", "fault", "minutes")
MINUTES = 240.0
SEEDS = (0.0, float(1 << 31))


class SimulatedSource:
    """A simulated car on the vehicle's calibration.

    Parameters
    ----------
    address : of scheme ``sim``; ``car`` names the engine of a demo car.
    clock : of the session.
    vehicle : the calibration in its ECU.
    """

    def __init__(self, address: Address, clock: Clock, vehicle: Vehicle | None) -> None:
        address.allow(OPTIONS)
        if vehicle is None:
            raise BadInputError(Say.NO_VEHICLE(text=address.text))
        self.address = address.text
        self.clock = clock
        self.vehicle = vehicle
        self.pace = address.number("pace", 1.0, *PACES)
        self.paced = self.pace == 1.0
        self.seed = round(address.number("seed", 1.0, *SEEDS))
        self.minutes = address.number("minutes", MINUTES, 0.2, MINUTES)
        self.car = address.options.get("car", "")
        self.fault = address.options.get("fault", "")
        self._player: Player | None = None

    def open(self) -> None:
        """Begin to drive."""
        if self._player is None:
            self._player = Player(self._readings(), self.clock, self.pace)

    def _readings(self) -> Iterator[Reading]:
        from lean_trim.simcar.cars import truth_of
        from lean_trim.simcar.drive import drive
        from lean_trim.simcar.faults import faults_of

        truth = truth_of(self.car, self.vehicle) if self.car else None
        faults = faults_of(self.fault) if self.fault else None
        for piece in drive(self.vehicle, self.seed, self.minutes, truth=truth, faults=faults):
            yield from readings_of([track_of_log(piece, self.address)])

    def read(self) -> Sequence[Reading]:
        """What has been driven since."""
        assert self._player is not None
        return self._player.due()

    def close(self) -> None:
        """It goes on where it stopped."""

    def doubts(self) -> Sequence[Said]:
        """None."""
        return ()
