"""Settings of a device as every combination of modes, graphics paths, supplies and limits; what a rule of the device
forbids is marked."""

import re
from collections.abc import Sequence
from itertools import product

from msgspec import Struct

from pinch.bench.limit_ladder import typed_rungs
from pinch.bench.records import Device, Setting, checked
from pinch.bench.setting_differences import forbidden
from pinch.core.errors import PinchError
from pinch.language import tr

MOST = 400


class Combination(Struct, frozen=True):
    """A setting that a combination makes, and why it cannot be had (empty: it can); `known`: the device has one of this
    name."""

    setting: Setting
    forbidden: str
    known: bool


def combinations(
    device: Device, there: Sequence[Setting], modes: str, paths: str, mains: bool, battery: bool, limits: str
) -> list[Combination]:
    """All combinations of what was typed: modes and graphics paths with `;` or `,` between, limits as 15/28/45. What
    stays empty is not part of the name.

    Raises
    ------
    PinchError : nothing is combined, it is more than anybody runs, or a limit cannot be set.
    """
    watts: list[float | None] = [*typed_rungs(limits, device.claims)] if limits.strip() else [None]
    supplies = [on for on, wanted in ((True, mains), (False, battery)) if wanted]
    if not supplies:
        raise PinchError(tr("Tick mains, battery, or both."))
    names = {s.name.casefold() for s in there}
    kinds = (_listed(modes), _listed(paths), supplies, watts)
    if len(kinds[0]) * len(kinds[1]) * len(supplies) * len(watts) > MOST:
        raise PinchError(tr("That is more than {most} settings.", most=MOST))
    found = []
    for mode, path, on_mains, limit in product(*kinds):
        words = [mode, path, "" if limit is None else tr("{limit:g} W", limit=limit)]
        name = ", ".join(filter(None, words)) or (tr("Mains") if on_mains else "")
        name = name if on_mains else tr("{name} on battery", name=name) if name else tr("Battery")
        fields = {"mode": mode, "graphics_path": path, "mains": on_mains, "sustained_w": limit}
        setting: Setting = checked(Setting, tr("The setting"), device_id=device.id, name=name, **fields)
        found.append(Combination(setting, forbidden(device, setting), name.casefold() in names))
    return found


def _listed(text: str) -> list[str]:
    return [part.strip() for part in re.split(r"[;,\n]", text) if part.strip()] or [""]
