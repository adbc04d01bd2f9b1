"""Figures by their keys for thousands of runs that have the same ones: the keys are kept once, the figures in a row.
A dictionary a run would take five times the memory."""

from array import array
from collections.abc import Iterator, Mapping
from typing import Annotated

from pydantic import AfterValidator, PlainSerializer

_PLACES: dict[tuple[str, ...], dict[str, int]] = {}


class FigureRow(Mapping[str, float]):
    """What a dictionary of the same figures is, unchangeable."""

    __slots__ = ("_figures", "_places")

    def __init__(self, figures: Mapping[str, float]) -> None:
        keys = tuple(figures)
        self._places = _PLACES.setdefault(keys, {key: n for n, key in enumerate(keys)})
        self._figures = array("d", figures.values())

    def __getitem__(self, key: str) -> float:
        return self._figures[self._places[key]]

    def __iter__(self) -> Iterator[str]:
        return iter(self._places)

    def __len__(self) -> int:
        return len(self._places)

    def __repr__(self) -> str:
        return repr(dict(self))

    def __reduce__(self) -> tuple[type["FigureRow"], tuple[dict[str, float]]]:
        return FigureRow, (dict(self),)


Figures = Annotated[Mapping[str, float], AfterValidator(FigureRow), PlainSerializer(dict, return_type=dict[str, float])]
