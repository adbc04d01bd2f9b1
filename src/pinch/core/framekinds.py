"""Frames that were drawn, frames that were made up between them, and frames that never came: told apart, never mixed.

A log may say of each frame whether it was generated (`frame.generated`) and whether it was dropped (`frame.dropped`).
The time of a drawn frame then runs from the drawn frame before it, whatever was made up in between.
"""

import math

from msgspec import Struct

from pinch.core import robust
from pinch.core.figures import Note
from pinch.core.frames import FRAME_TIME, GENERATED, drawn_frames, flags_at
from pinch.core.runlog import BoolArray, FloatArray, RunLog
from pinch.language import tr

DROPPED = "frame.dropped"


class Share(Struct, frozen=True):
    """So many of all, as a share with its 95 % interval, each 0 to 1."""

    count: int
    of: int
    low: float
    high: float

    @property
    def value(self) -> float:
        """The share."""
        return self.count / self.of


class FrameKinds(Struct, frozen=True):
    """Frames of a run by kind: `drawn_ms` (m,) from one drawn frame to the next, which end at `ends_s` (m,);
    `shown_fps` with the generated ones, NaN where none was; `dropped` and `generated` are None where the log does not
    tell."""

    drawn_ms: FloatArray
    ends_s: FloatArray
    shown_fps: float
    dropped: Share | None
    generated: Share | None

    @property
    def is_mixed(self) -> bool:
        """Whether some of the frames that were shown were not drawn."""
        return math.isfinite(self.shown_fps)

    @property
    def notes(self) -> tuple[Note, ...]:
        """What is to be known of figures of the drawn frames."""
        if self.generated is None or not self.generated.count:
            return ()
        if not self.is_mixed:
            return (Note("generated-frames", tr("The log calls every frame generated; all of them are counted.")),)
        share = 100.0 * self.generated.value
        words = tr(
            "{share:.0f} % of the frames shown were generated, not drawn; all figures are of the drawn ones.",
            share=share,
        )
        return (Note("generated-frames", words),)


def frame_kinds(log: RunLog, start_s: float, end_s: float) -> FrameKinds | None:
    """The frames of a stretch of a log by kind; None where it has no single frames there."""
    series = log.series.get(FRAME_TIME)
    if series is None:
        return None
    inside = (series.t > start_s) & (series.t <= end_s) & (series.values > 0.0)
    t, ms = series.t[inside], series.values[inside]
    if not len(t):
        return None
    generated, dropped = (flags_at(log.series.get(name), t) for name in (GENERATED, DROPPED))
    if generated is None or not generated.any() or generated.all():
        return FrameKinds(ms, t, math.nan, _share(dropped), _share(generated))
    ends_s, drawn_ms = drawn_frames(t, ms, generated)
    return FrameKinds(drawn_ms, ends_s, 1000.0 * len(ms) / float(ms.sum()), _share(dropped), _share(generated))


def wilson(count: float, of: float) -> tuple[float, float]:
    """95 % interval of a share (E. B. Wilson, J. Am. Stat. Assoc. 22, 1927)."""
    z2 = robust.Z975**2
    share = count / of
    middle = (share + z2 / (2 * of)) / (1 + z2 / of)
    half = robust.Z975 * math.sqrt(share * (1 - share) / of + z2 / (4 * of * of)) / (1 + z2 / of)
    return max(0.0, middle - half), min(1.0, middle + half)


def _share(flags: BoolArray | None) -> Share | None:
    if flags is None or not len(flags):
        return None
    return Share(int(flags.sum()), len(flags), *wilson(int(flags.sum()), len(flags)))
