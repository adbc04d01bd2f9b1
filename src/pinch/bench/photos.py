"""Photos and screenshots that belong to a device, one of its runs, or a reading."""

import base64
from typing import Annotated

from pydantic import Field, field_validator

from pinch.bench.records import Record
from pinch.language import tr

LONGEST_SIDE = 1600
"""Of a photo in a book, px: enough for a page, and small enough for many."""
MOST_BYTES = 2_500_000
JPEG_START = b"\xff\xd8\xff"


class Photo(Record):
    """A JPEG picture with its caption, without anything else that the camera noted. It is of a device; of a run of it
    where `run_id` is there, and of a reading of that run where `reading_id` is, too. `published`: reports show it."""

    device_id: int
    run_id: int | None = None
    reading_id: int | None = None
    caption: str = Field(default="", max_length=300, title=tr("Caption"))
    width: Annotated[int, Field(ge=1, le=10 * LONGEST_SIDE)]
    height: Annotated[int, Field(ge=1, le=10 * LONGEST_SIDE)]
    jpeg: str
    published: bool = True

    @field_validator("jpeg")
    @classmethod
    def _is_a_jpeg(cls, text: str) -> str:
        if len(text) > 4 * MOST_BYTES / 3 + 4:
            raise ValueError(tr("the picture is too large"))
        if text and not base64.b64decode(text, validate=True).startswith(JPEG_START):
            raise ValueError(tr("the picture is no JPEG"))
        return text

    @property
    def content(self) -> bytes:
        """The JPEG file."""
        return base64.b64decode(self.jpeg)
