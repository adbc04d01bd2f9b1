"""Instrument profiles: how an instrument is identified, configured and read, as data files.

Those that ship lie in `sources/instruments`; one's own lie as `*.json` in the folder `instruments` of the user's
configuration of Pinch and win over those of the same key. The form is described in docs/formats.md.
"""

from collections.abc import Iterable
from pathlib import Path

import platformdirs
from msgspec.structs import asdict
from pydantic import Field

from pinch.bench.fields import Name, Part
from pinch.bench.files import read_model
from pinch.bench.parts import ReadWith
from pinch.bench.readings import Instrument
from pinch.core.accuracy import Accuracy
from pinch.core.errors import PinchError
from pinch.language import tr

MOST_BYTES = 100_000
SHIPPED = Path(__file__).parent / "instruments"


class Serial(Part):
    """How a serial line is set."""

    baud: int = Field(default=9600, ge=50, le=4_000_000)
    data_bits: int = Field(default=8, ge=5, le=8)


class Profile(Part):
    """How an instrument is spoken to.

    `identify` asks who it is (empty: nothing is asked) and `answers` is a text that must be in the answer; `configure`
    is sent once; the queries of `read` bring numbers, of which number `take` counted from 0 is the value; with
    `product` it is the product of all, volts times amperes. `factor` brings it to the unit of what is measured.
    """

    key: Name
    title: Name
    unit: str = ""
    identify: str = "*IDN?"
    answers: str = ""
    configure: tuple[str, ...] = ()
    read: tuple[Name, ...] = Field(min_length=1)
    take: int = Field(default=0, ge=0, le=99)
    product: bool = False
    factor: float = 1.0
    ending: str = "\n"
    timeout_s: float = Field(default=2.0, gt=0, le=60)
    serial: Serial = Serial()
    range: float | None = None
    of_reading: float | None = None
    of_range: float | None = None


def profiles(own: Path | None = None) -> dict[str, Profile]:
    """All profiles by key.

    Raises
    ------
    DataError : a file of one's own cannot be read; the sentence names the file and the place.
    """
    own = own or Path(platformdirs.user_config_dir("pinch")) / "instruments"
    files = [*sorted(SHIPPED.glob("*.json")), *sorted(own.glob("*.json"))]
    return {profile.key: profile for profile in map(read_profile, files)}


def read_profile(path: Path) -> Profile:
    """One profile.

    Raises
    ------
    DataError : it cannot be read, is no JSON, or a field makes no sense.
    """
    return read_model(path, Profile, MOST_BYTES)


def profile(key: str) -> Profile:
    """The profile of that key.

    Raises
    ------
    PinchError : there is none.
    """
    known = profiles()
    if key not in known:
        raise PinchError(
            tr("There is no instrument profile {key!r}; there are {known}.", key=key, known=", ".join(sorted(known)))
        )
    return known[key]


def accuracy_of(instrument: Instrument) -> Accuracy:
    """The accuracy of an instrument as it is entered, else as its profile states it."""
    if instrument.accuracy.stated or not instrument.profile:
        return instrument.accuracy
    stated = profile(instrument.profile)
    return Accuracy(stated.of_reading or 0.0, stated.of_range or 0.0, stated.range or 0.0)


def read_with(instruments: Iterable[Instrument]) -> tuple[ReadWith, ...]:
    """What a run keeps of the instruments that it is read with: their accuracies as they are stated now."""
    return tuple(
        ReadWith(name=i.name, channel=i.channel, **asdict(accuracy))
        for i, accuracy in ((i, accuracy_of(i)) for i in instruments)
        if accuracy.stated
    )
