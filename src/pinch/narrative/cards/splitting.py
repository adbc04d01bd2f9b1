"""A card that holds more than can be read, as several: one a workload, a run or a device."""

from collections.abc import Iterator

from pinch.bench.cards import Card, CellsQuery, CurvesQuery, RunsQuery, TestedQuery, UnitsQuery
from pinch.bench.fields import LONGEST_NAME
from pinch.core.errors import PinchError
from pinch.core.printing import counted
from pinch.language import tr
from pinch.narrative.cards.content import CardContent, Found
from pinch.narrative.cards.deck import replace_fields


def can_split(content: CardContent) -> bool:
    """Whether it shows several workloads, runs or devices that it asks for by number."""
    return len(_parts(content)) > 1


def split_card(content: CardContent) -> list[Card]:
    """The cards that one comes to, in its order, not yet kept; what somebody wrote of the whole is not said of a part.

    Raises
    ------
    PinchError : it is of one workload, run or device.
    """
    card, parts = content.card, _parts(content)
    if len(parts) < 2:
        raise PinchError(
            tr("“{card}” is of one thing alone and cannot be split; draw it as something else.", card=card.name)
        )
    field = _FIELDS[card.query.of]
    many = counted(len(parts), field.removesuffix("_ids"))
    return [
        replace_fields(
            card,
            kept_id=None,
            name=_title(card.name, many, name),
            query={**card.query.model_dump(), field: (number,)},
            finding="",
            seen="",
        )
        for number, name in parts.items()
    ]


def _parts(content: CardContent) -> dict[int, str]:
    """What it shows of what it asks for, by number, with names."""
    query, found = content.card.query, content.found
    if found is None:
        return {}
    if isinstance(query, CellsQuery | CurvesQuery):
        wanted, there = query.workload_ids, dict(_workloads(found))
    elif isinstance(query, RunsQuery):
        wanted, there = query.run_ids, {p.run.id: f"{p.device.name}, {p.name}" for p in found.runs}
    elif isinstance(query, TestedQuery | UnitsQuery):
        wanted, there = query.device_ids, {p.device.id: p.device.name for p in found.runs}
    else:
        return {}
    return {number: there[number] for number in wanted if number in there}


def _workloads(found: Found) -> Iterator[tuple[int, str]]:
    yield from ((p.workload.id, p.workload.name) for p in found.runs)
    yield from ((row.workload.id, row.workload.name) for result in found.compared for row in result.rows)


_FIELDS = {
    "cells": "workload_ids",
    "curves": "workload_ids",
    "runs": "run_ids",
    "units": "device_ids",
    "tested": "device_ids",
}


def _title(title: str, many: str, part: str) -> str:
    """A title of the whole for a part: in place of how many there were, else at the end."""
    if many in title:
        return title.replace(many, part)[:LONGEST_NAME]
    mark = "?" if title.endswith("?") else ""
    return f"{title.removesuffix('?')[: LONGEST_NAME - len(part) - 3]}: {part}{mark}"[:LONGEST_NAME]
