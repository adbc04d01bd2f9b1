"""How far sensors may be off, as standard uncertainties: what is taken where nobody says better.

A chip reckons its watts from its own activity, a diode on it is trimmed to a degree or so, a thermometer in the room
hangs where it hangs. The defaults are common practice, no source; a device may have its own, and what a channel was
read with may state better.
"""

from msgspec import Struct

from pinch.core.accuracy import Accuracy
from pinch.core.channels import component_of, quantity_of
from pinch.language import tr


class SensorClasses(Struct, frozen=True):
    """Standard uncertainties: of power that the device tells of itself, as a share; of a meter's; of temperatures, K;
    of the room's, K. Errors that all samples of a run share, so that no averaging makes them smaller. `meters` are
    instruments by name with the channel that each was read into, and what it states."""

    power: float = 0.02
    meter: float = 0.01
    temp_k: float = 1.0
    room_k: float = 0.5
    meters: tuple[tuple[str, str, Accuracy], ...] = ()

    def of(self, channel: str, value: float) -> float:
        """Of a value of a channel, in its unit; 0 of what is counted."""
        for _, read, accuracy in self.meters:
            if read == channel:
                return accuracy.standard_u(value)
        quantity, component = quantity_of(channel), component_of(channel)
        if quantity is None:
            return 0.0
        if quantity.unit == "W":
            return abs(value) * (self.meter if component in ("wall", "battery") else self.power)
        if quantity.unit == "°C":
            return self.room_k if component == "ambient" else self.temp_k
        return 0.0

    def share_of(self, channel: str, value: float) -> float:
        """The same as a share of the value."""
        return self.of(channel, value) / abs(value) if value else 0.0

    def told_by(self, channel: str) -> str:
        """Whose error it is: of an instrument as it states it, else of a sensor as is usual."""
        return next(
            (tr("{name}, as it states", name=name) for name, read, _ in self.meters if read == channel), tr("sensor")
        )
