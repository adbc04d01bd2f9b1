"""A timeline that is revealed from left to right, as numbered pictures for a video.

The picture is drawn twice, with its curves and without them; each frame shows the one to the left of a line that moves,
and the other to its right. So every frame has the very pixels of the whole picture.
"""

import io
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from msgspec.structs import replace

from pinch.bench.files import replace_file
from pinch.charts.chart_files import face_bytes
from pinch.charts.draw.frame import WIDTH, draw_face
from pinch.charts.face import Face
from pinch.charts.spec import Chart
from pinch.charts.theme import LIGHT, Theme
from pinch.core.errors import PinchError
from pinch.core.progress import Progress, tell, unheard
from pinch.language import tr

if TYPE_CHECKING:
    from numpy.typing import NDArray

MOST_FRAMES = 3000


def write_reveal(
    face: Face,
    folder: Path,
    frames: int,
    size: tuple[int, int] = (1920, 1080),
    theme: Theme = LIGHT,
    progress: Progress = unheard,
) -> list[Path]:
    """Write `reveal-0001.png` and so on into a folder, which is made where needed; the last frame is the whole picture.
    Frames that are there already are replaced; the folder must hold no longer sequence, or players would go on with it.

    Raises
    ------
    PinchError : it is no timeline, the number makes no sense, or a file cannot be written.
    CancelledError : `progress` answered False; what was written stays.
    """
    if not isinstance(face.chart, Chart):
        raise PinchError(tr("Only a timeline or a chart of curves can be revealed from left to right."))
    if not 2 <= frames <= MOST_FRAMES:
        raise PinchError(
            tr("A sequence has 2 to {most_frames} frames, not {frames}.", most_frames=MOST_FRAMES, frames=frames)
        )
    paths = []
    try:
        folder.mkdir(parents=True, exist_ok=True)
        if (folder / f"reveal-{frames + 1:04d}.png").exists():
            raise PinchError(
                tr("{folder}: there is a longer sequence in this folder; choose an empty one.", folder=folder)
            )
        whole, empty = _pixels(face, size, theme), _pixels(_without_curves(face, face.chart), size, theme)
        left, right = plot_edges(face, theme, size)
        for number in range(1, frames + 1):
            tell(progress, number / frames)
            edge = round(left + (right - left) * number / frames)
            picture = empty.copy()
            picture[:, :edge] = whole[:, :edge]
            if number == frames:
                picture = whole
            path = folder / f"reveal-{number:04d}.png"
            replace_file(path, _png(picture))
            paths.append(path)
    except OSError as error:
        raise PinchError(
            tr(
                "{filename}: it cannot be written ({strerror}); {paths} of {frames} frames are there.",
                filename=error.filename or folder,
                strerror=error.strerror,
                paths=len(paths),
                frames=frames,
            )
        ) from None
    return paths


def plot_edges(face: Face, theme: Theme, size: tuple[int, int]) -> tuple[float, float]:
    """Left and right edge of the plots, px."""
    figure = draw_face(face, theme, (WIDTH, round(WIDTH * size[1] / size[0])))
    boxes = [axis.get_position() for axis in figure.axes]
    return min(b.x0 for b in boxes) * size[0], max(b.x1 for b in boxes) * size[0]


def _without_curves(face: Face, chart: Chart) -> Face:
    """The picture before anything was measured: axes and levels, no curves, no strip's stretches."""
    panels = tuple(
        replace(
            panel,
            lines=tuple(replace(line, y=np.full_like(line.y, np.nan), label="") for line in panel.lines),
            dots=tuple(replace(d, y=np.full_like(d.y, np.nan), texts=("",) * len(d.texts)) for d in panel.dots),
            bands=(),
            bounds=panel.y_range,
        )
        for panel in chart.panels
    )
    return replace(face, chart=replace(chart, panels=panels, bare_strip=True, marks=(), gaps=(), window=None))


def _pixels(face: Face, size: tuple[int, int], theme: Theme) -> "NDArray[np.uint8]":
    from PIL import Image

    with Image.open(io.BytesIO(face_bytes(face, "png", theme, size))) as image:
        return np.array(image.convert("RGB"))


def _png(pixels: "NDArray[np.uint8]") -> bytes:
    from PIL import Image

    content = io.BytesIO()
    Image.fromarray(pixels).save(content, "png", compress_level=1)
    return content.getvalue()
