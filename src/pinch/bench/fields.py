"""Kinds of field that the records are made of: each with its unit and the range that makes sense at all.

The unit travels in the JSON schema under `unit`; the forms and the published schema both read it there.
"""

from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field


def _quantity(unit: str, *, gt: float | None = None, ge: float | None = None, le: float | None = None) -> Any:
    return Field(gt=gt, ge=ge, le=le, json_schema_extra={"unit": unit})


Watts = Annotated[float, _quantity("W", gt=0, le=2000)]
WattHours = Annotated[float, _quantity("Wh", gt=0, le=2000)]
Celsius = Annotated[float, _quantity("°C", ge=-40, le=150)]
Kelvin = Annotated[float, _quantity("K", gt=0, le=50)]
Seconds = Annotated[float, _quantity("s", gt=0, le=172800)]
Minutes = Annotated[float, _quantity("min", ge=0, le=2880)]
Megahertz = Annotated[float, _quantity("MHz", gt=0, le=20000)]
Hertz = Annotated[float, _quantity("Hz", gt=0, le=2000)]
Millivolts = Annotated[float, _quantity("mV", ge=-1000, le=1000)]
Kilograms = Annotated[float, _quantity("kg", gt=0, le=100)]
Millimetres = Annotated[float, _quantity("mm", gt=0, le=2000)]
Inches = Annotated[float, _quantity("in", gt=0, le=100)]
Gigabytes = Annotated[float, _quantity("GB", gt=0, le=100000)]
Transfers = Annotated[float, _quantity("MT/s", gt=0, le=50000)]
FramesPerSecond = Annotated[float, _quantity("fps", gt=0, le=2000)]
Percent = Annotated[float, _quantity("%", ge=0, le=100)]
Nits = Annotated[float, _quantity("cd/m²", gt=0, le=10000)]
Decibels = Annotated[float, _quantity("dB(A)", ge=0, le=140)]
Count = Annotated[int, Field(ge=1, le=10000)]
LONGEST_NAME = 120
Name = Annotated[str, Field(min_length=1, max_length=LONGEST_NAME, pattern=r"\S")]
Day = Annotated[str, Field(pattern=r"^(\d{4}-\d{2}-\d{2})?$", json_schema_extra={"unit": "YYYY-MM-DD"})]
Pixels = Annotated[str, Field(pattern=r"^(\d{2,5}×\d{2,5})?$", json_schema_extra={"unit": "px"})]


class Part(BaseModel):
    """A piece of a record: immutable, unknown fields refused."""

    model_config = ConfigDict(
        frozen=True,
        extra="forbid",
        allow_inf_nan=False,
        str_strip_whitespace=True,
        defer_build=True,  # what is not read or written at the start is not prepared then
    )
