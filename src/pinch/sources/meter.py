"""An instrument on a line, spoken to in SCPI through PyVISA: TCP, USB or serial.

Addresses are those of VISA: `TCPIP::HOST::PORT::SOCKET`, `TCPIP::HOST::INSTR`, `USB::…::INSTR`,
`ASRL/dev/ttyUSB0::INSTR`. One that begins with `sim:` speaks to the simulated instruments that ship with Pinch instead.
"""

import math
from pathlib import Path
from typing import Any

from pinch.core.errors import PinchError
from pinch.language import tr
from pinch.sources.profiles import Profile
from pinch.sources.scpi import read_numbers, short

SIMULATED = Path(__file__).parent.parent / "rig" / "instruments.yaml"
_SIGN = "sim:"


class Meter:
    """One instrument. `open`, then `read` as often as wanted; any failure is a PinchError, after which it is to be
    closed and opened anew."""

    def __init__(self, profile: Profile, address: str) -> None:
        self._profile, self._address = profile, address
        self._resource: Any = None
        self._manager: Any = None

    def open(self) -> str:
        """Connect, identify and configure; returns who it says it is (empty where it is not asked)."""
        import pyvisa

        simulated = is_simulated(self._address)
        library = f"{SIMULATED}@sim" if simulated else "@py"
        try:
            self._manager = pyvisa.ResourceManager(library)
            self._resource = self._manager.open_resource(
                self._address.removeprefix(_SIGN),
                read_termination=self._profile.ending,
                write_termination=self._profile.ending,
                timeout=round(1000 * self._profile.timeout_s),
            )
            if hasattr(self._resource, "baud_rate") and not simulated:
                self._resource.baud_rate = self._profile.serial.baud
                self._resource.data_bits = self._profile.serial.data_bits
            name = self._resource.query(self._profile.identify).strip() if self._profile.identify else ""
            for command in self._profile.configure:
                self._resource.write(command)
        except Exception as error:  # noqa: BLE001 - the bindings raise what their transports raise
            self.close()
            raise PinchError(
                tr("{address} does not answer: {reason}.", address=self._address, reason=_reason(error))
            ) from None
        if self._profile.answers and self._profile.answers.casefold() not in name.casefold():
            self.close()
            raise PinchError(
                tr(
                    "{address} is another instrument than its profile says: {short}.",
                    address=self._address,
                    short=short(name),
                )
            )
        return name

    def read(self) -> float:
        """One value in the unit of what it measures, NaN where it says that it has none (overflow, no range)."""
        try:
            response = ",".join(str(self._resource.query(query)).strip() for query in self._profile.read)
        except Exception as error:  # noqa: BLE001 - as above
            raise PinchError(
                tr("{address} does not answer: {reason}.", address=self._address, reason=_reason(error))
            ) from None
        numbers = read_numbers(response)
        if self._profile.product:
            return math.prod(numbers) * self._profile.factor
        if self._profile.take >= len(numbers):
            raise PinchError(
                tr(
                    "{address} answered {numbers} numbers; number {take} is wanted.",
                    address=self._address,
                    numbers=len(numbers),
                    take=self._profile.take,
                )
            )
        return numbers[self._profile.take] * self._profile.factor

    def close(self) -> None:
        """Let go of it; may be called again."""
        for thing in (self._resource, self._manager):
            try:
                if thing is not None:
                    thing.close()
            except Exception:  # noqa: BLE001 - a line that is gone cannot be closed better
                pass
        self._resource = self._manager = None


def is_simulated(address: str) -> bool:
    """Whether an address is of the instruments that ship with Pinch: nothing outside is opened."""
    return address.startswith(_SIGN)


def _reason(error: Exception) -> str:
    """What went wrong, without the numbers of the bindings."""
    text = (str(error).strip().splitlines() or [type(error).__name__])[0]
    return text.rpartition("): ")[2].rstrip(".") if text.startswith("VI_ERROR") else text.rstrip(".")
