"""Keeps graphics busy with OpenGL, drawn into memory and never shown.

    python -m pinch.sources.graphics [--frames FILE]

Prints one line: what draws, or why nothing can. Then it draws until its standard input ends; with a file, the time of
each frame goes there as a row `t_s,frame_ms`, seconds since boot. Where Linux has no render node the processor would do
the drawing, and graphics would stay idle: then nothing is drawn.
"""

import os
import sys
import threading
import time
from pathlib import Path
from typing import Any

RENDER_NODES = Path("/dev/dri")
WIDTH, HEIGHT = 1920, 1080
ROUNDS = 400
_VERTEX = """
#version 330
in vec2 corner;
void main() { gl_Position = vec4(corner, 0.0, 1.0); }
"""
_FRAGMENT = """
#version 330
uniform float time;
out vec4 colour;
void main() {
    vec2 z = gl_FragCoord.xy / vec2(960.0, 540.0) - 1.0, c = vec2(cos(time), sin(time)) * 0.7885;
    float sum = 0.0;
    for (int i = 0; i < %d; i++) {
        z = vec2(z.x * z.x - z.y * z.y, 2.0 * z.x * z.y) + c;
        z /= max(1.0, dot(z, z));
        sum += z.x;
    }
    colour = vec4(fract(sum), z, 1.0);
}
"""


def why_not() -> str:
    """Why graphics cannot be kept busy here; empty where they can."""
    if not any(RENDER_NODES.glob("renderD*")):
        return "there is no graphics device here"
    return ""


class Drawing:
    """An OpenGL context without a window, and a picture that takes work.

    Raises
    ------
    OSError : there is no OpenGL 3.3.
    """

    def __init__(self) -> None:
        import moderngl
        import numpy as np

        try:
            settings: dict[str, Any] = {"backend": "egl", "libgl": "libGL.so.1", "libegl": "libEGL.so.1"}
            self._context: Any = moderngl.create_context(require=330, standalone=True, **settings)
        except Exception as error:  # noqa: BLE001 - drivers fail in ways of their own
            raise OSError(f"OpenGL cannot be used ({error})") from None
        self.by = str(self._context.info.get("GL_RENDERER", "OpenGL"))
        program: Any = self._context.program(vertex_shader=_VERTEX, fragment_shader=_FRAGMENT % ROUNDS)
        corners = np.array([-1, -1, 3, -1, -1, 3], dtype="f4")
        self._triangle = self._context.vertex_array(program, [(self._context.buffer(corners), "2f", "corner")])
        self._time = program["time"]
        self._target = self._context.simple_framebuffer((WIDTH, HEIGHT))
        self._target.use()
        self.frames = 0

    def draw(self) -> bytes:
        """Draw one frame and wait for it; returns one pixel of it, so that it cannot be left undone."""
        self._time.value = 0.01 * self.frames
        self._triangle.render()
        self.frames += 1
        return bytes(self._target.read(viewport=(WIDTH // 2, HEIGHT // 2, 1, 1)))


def main() -> int:
    """Entry point of the graphics process."""
    gone = threading.Event()
    threading.Thread(target=_wait_for_end, args=(gone,), daemon=True).start()
    reason = why_not()
    drawing = None
    if not reason:
        try:
            drawing = Drawing()
        except OSError as error:
            reason = str(error)
    frames = sys.argv[2] if sys.argv[1:2] == ["--frames"] else ""
    if reason and frames:
        print(f"The scene cannot be drawn: {reason}.", file=sys.stderr)
        return 1
    told = f"{reason}, so only the cores are kept busy" if reason else "graphics are kept busy by "
    print(f"{told}{drawing.by if drawing else ''}", flush=True)
    if drawing is not None:
        draw_until(gone, drawing, frames or os.devnull)
    gone.wait()
    return 0


def draw_until(gone: threading.Event, drawing: Drawing, frames: str) -> None:
    """Draw until somebody has gone; the time of each frame goes to a file."""
    with open(frames, "w", encoding="ascii", buffering=1) as log:
        log.write("t_s,frame_ms\n")
        before = time.clock_gettime(time.CLOCK_BOOTTIME)
        while not gone.is_set():
            drawing.draw()
            now = time.clock_gettime(time.CLOCK_BOOTTIME)
            log.write(f"{now:.6f},{1000.0 * (now - before):.4f}\n")
            before = now


def _wait_for_end(gone: threading.Event) -> None:
    os.read(sys.stdin.fileno(), 1)
    gone.set()


if __name__ == "__main__":
    sys.exit(main())
