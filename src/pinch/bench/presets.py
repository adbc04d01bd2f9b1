"""Presets of intent: which cells of the matrix a question needs."""

from collections.abc import Sequence
from enum import StrEnum

from msgspec import Struct

from pinch.bench.parts import Aspect
from pinch.bench.plans import Cell, OrderRule
from pinch.bench.records import Device, Setting, WorkKind, Workload, live
from pinch.bench.setting_differences import differences, why_not
from pinch.core.errors import PinchError
from pinch.language import tr

SOAK_S = 3600.0


class Intent(StrEnum):
    """What a plan is to find out."""

    EMPTY = "an empty matrix"
    MODES = "one mode tour"
    LADDER = "limit ladder"
    SUPPLY = "mains against battery"
    PAIR = "A against B"
    MEMORY = "memory matrix"
    SOAK = "long soak"


INTENT_WORDS = {
    Intent.EMPTY: tr("Every setting and workload is offered; you fill in the repeats."),
    Intent.MODES: tr(
        "Every mode of the device once round, each workload: what quiet, balanced and the like really are."
    ),
    Intent.LADDER: tr("Every limit of the device on mains: what each watt buys."),
    Intent.SUPPLY: tr("Settings that differ only in the supply: what is lost at anchor."),
    Intent.PAIR: tr("Two devices at settings with the same claim, repeats interleaved: is it really faster?"),
    Intent.MEMORY: tr("Settings that differ only in memory: speed, and share for graphics."),
    Intent.SOAK: tr("The highest limit for an hour: what it holds when it is hot through."),
}


class Proposal(Struct, frozen=True):
    """Cells and the order that suits them. `long_workload` is a workload that must be added first; its cells carry the
    id 0."""

    cells: tuple[Cell, ...]
    order: OrderRule
    long_workload: Workload | None = None


def propose(
    intent: Intent, devices: Sequence[tuple[Device, Sequence[Setting]]], workloads: Sequence[Workload], repeats: int
) -> Proposal:
    """Cells for an intent, from the chosen devices with their settings and the chosen workloads.

    Raises
    ------
    PinchError : the devices or their settings do not give what the intent needs; the sentence says what is missing.
    """
    first, settings = devices[0]
    every = [s for _, some in devices for s in live(some)]
    if intent is Intent.EMPTY:
        return Proposal((), OrderRule.SHORTEST)
    if intent is Intent.SOAK:
        return _soak(first, settings, workloads)
    chosen = {
        Intent.MODES: lambda: _modes(every),
        Intent.LADDER: lambda: [s for s in every if s.sustained_w is not None and s.mains],
        Intent.SUPPLY: lambda: _partners(settings, Aspect.SUPPLY),
        Intent.PAIR: lambda: _same_claims(devices),
        Intent.MEMORY: lambda: _partners(settings, Aspect.MEMORY_SPEED, Aspect.GRAPHICS_MEMORY),
    }[intent]()
    if not chosen:
        raise PinchError(
            tr("{first} has no settings for {intent}: {lack}", first=first.name, intent=intent, lack=_LACK[intent])
        )
    by_id = {d.id: d for d, _ in devices}
    cells = tuple(
        Cell(setting_id=s.id, workload_id=w.id, repeats=repeats)
        for s in chosen
        for w in workloads
        if not why_not(by_id[s.device_id], s, w)
    )
    fair = intent in (Intent.PAIR, Intent.MEMORY, Intent.SUPPLY)
    return Proposal(cells, OrderRule.BALANCED if fair else OrderRule.SHORTEST)


_LACK = {
    Intent.MODES: tr("none of them names a mode."),
    Intent.LADDER: tr("none of them claims a sustained limit on mains. Make a ladder on the Bench page."),
    Intent.SUPPLY: tr("two of them must differ in nothing but mains and battery."),
    Intent.PAIR: tr("choose two devices that have settings with the same claimed limit or name."),
    Intent.MEMORY: tr("two of them must differ in nothing but memory."),
}


def _modes(settings: list[Setting]) -> list[Setting]:
    seen: set[tuple[int, str, bool, str]] = set()
    chosen = []
    for s in settings:
        key = (s.device_id, s.mode, s.mains, s.graphics_path)
        if s.mode and key not in seen:
            seen.add(key)
            chosen.append(s)
    return chosen


def _partners(settings: Sequence[Setting], *aspects: Aspect) -> list[Setting]:
    """Settings that have a partner differing in nothing but these aspects (and the limits that come with a supply)."""
    free = set(aspects) | ({Aspect.LIMITS} if Aspect.SUPPLY in aspects else set())
    offered = live(settings)

    def partner(a: Setting, b: Setting) -> bool:
        apart = set(differences(a, b))
        return bool(apart & set(aspects)) and apart <= free and (Aspect.LIMITS not in apart or a.mode == b.mode != "")

    return [s for s in offered if any(partner(s, other) for other in offered)]


def _same_claims(devices: Sequence[tuple[Device, Sequence[Setting]]]) -> list[Setting]:
    if len(devices) < 2:
        return []

    def claims(s: Setting) -> tuple[float | None, bool]:
        return s.sustained_w, s.mains

    a, b = ([s for s in live(some) if s.sustained_w] for _, some in devices[:2])
    shared = {claims(s) for s in a} & {claims(s) for s in b}
    chosen = []
    for claim in sorted(shared, key=str):
        chosen += [next(s for s in some if claims(s) == claim) for some in (a, b)]
    return chosen


def _soak(device: Device, settings: Sequence[Setting], workloads: Sequence[Workload]) -> Proposal:
    on_mains = [s for s in live(settings) if s.mains]
    if not on_mains:
        raise PinchError(tr("{device} has no setting on mains to soak.", device=device.name))
    highest = max(on_mains, key=lambda s: s.sustained_w or 0.0)
    kinds = (WorkKind.IDLE, WorkKind.RUNDOWN)
    loads = [w for w in workloads if w.kind not in kinds]
    if not loads:
        raise PinchError(tr("A soak needs a workload that is a load."))
    longest = max(loads, key=lambda w: w.run_s)
    if longest.run_s >= SOAK_S:
        cell = Cell(setting_id=highest.id, workload_id=longest.id, repeats=1)
        return Proposal((cell,), OrderRule.SHORTEST)
    soak = longest.as_new(name=f"{longest.name}, one hour", length_s=SOAK_S, passes=1, warm_up_pass=False)
    cell = Cell(setting_id=highest.id, workload_id=0, repeats=1)
    return Proposal((cell,), OrderRule.SHORTEST, soak)
