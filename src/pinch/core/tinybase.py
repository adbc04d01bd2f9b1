"""When a percentage of frame rates says more than there is. Common practice, no source."""

TINY_FPS = 15.0
"""Below this rate a frame more or less is a large percentage."""
TINY_DIFFERENCE_FPS = 5.0
"""Lows scatter by a few frames from run to run, so a smaller distance of lows is told in frames."""


def is_tiny_base(base_fps: float, other_fps: float, of_low: bool) -> bool:
    """Whether a rate is told apart from its base in frames and milliseconds first; `of_low`: both are lows."""
    return base_fps < TINY_FPS or (of_low and abs(other_fps - base_fps) < TINY_DIFFERENCE_FPS)
