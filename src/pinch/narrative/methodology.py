"""A protocol as the methodology paragraph of a report: what it asks for. What was done is counted from the runs."""

from pinch.bench.records import CoolRule, LowSchool, Protocol, WindowRule
from pinch.language import tr

SCHOOLS = {
    LowSchool.PERCENTILE: tr("1 % lows as the rate at the 99th percentile of frame time"),
    LowSchool.WORST: tr("1 % lows as the rate of the mean of the slowest 1 % of frames"),
    LowSchool.TIME: tr("1 % lows as the rate below which 1 % of the time is spent"),
}
WINDOWS = {
    WindowRule.SETTLED: tr("sustained figures over the settled window of each run"),
    WindowRule.LAST_THIRD: tr("sustained figures over the last third of each load"),
}


def methodology(p: Protocol) -> str:
    """One paragraph from what the protocol asks for, and nothing else."""
    asked = [*_room(p), *_machine(p), _builds(p), _run(p), _cool(p), WINDOWS[p.window_rule], SCHOOLS[p.low_school]]
    notes = p.notes.rstrip(". ")
    return " ".join(
        filter(None, [tr("It asks for {what}.", what="; ".join(filter(None, asked))), f"{notes}." if notes else ""])
    )


def _room(p: Protocol) -> list[str]:
    within = (
        tr(" ± {ambient_within_k:g} K", ambient_within_k=p.ambient_within_k) if p.ambient_within_k is not None else ""
    )
    parts = (
        [tr("a room of {ambient_c:g} °C{within}", ambient_c=p.ambient_c, within=within)]
        if p.ambient_c is not None
        else []
    )
    return parts + (
        [tr("a background noise of {room_noise_db:g} dB(A)", room_noise_db=p.room_noise_db)]
        if p.room_noise_db is not None
        else []
    )


def _machine(p: Protocol) -> list[str]:
    parts = (
        [tr("displays at {brightness_nits:g} cd/m²", brightness_nits=p.brightness_nits)]
        if p.brightness_nits is not None
        else []
    )
    parts += (
        [tr("sound at {volume_percent:g} %", volume_percent=p.volume_percent)] if p.volume_percent is not None else []
    )
    parts += [tr("radios: {radios}", radios=p.radios)] if p.radios else []
    return parts + ([tr("background work: {background}", background=p.background)] if p.background else [])


def _builds(p: Protocol) -> str:
    named = [" ".join(filter(None, [b.what, b.version, f"({b.date})" if b.date else ""])) for b in p.builds]
    return ", ".join(named)


def _run(p: Protocol) -> str:
    times = tr("once") if p.repeats == 1 else tr("{repeats} times", repeats=p.repeats)
    warm = tr(", after {warm_up_min:g} min of warm-up", warm_up_min=p.warm_up_min) if p.warm_up_min else ""
    return tr("every workload {times} at every setting{warm}", times=times, warm=warm)


def _cool(p: Protocol) -> str:
    if p.cool_rule is CoolRule.FIXED:
        return tr("a rest of {cool_min:g} min between runs", cool_min=p.cool_min)
    return tr(
        "a rest between runs until within {cool_within_k:g} K of the idle temperature "
        "({cool_min:g} min where the time constant is not known)",
        cool_within_k=p.cool_within_k,
        cool_min=p.cool_min,
    )
