"""A protocol as the methodology paragraph of a report: what it asks for. What was done is counted from the runs."""

from pinch.bench.records import CoolRule, LowSchool, Protocol, WindowRule

SCHOOLS = {
    LowSchool.PERCENTILE: "1 % lows as the rate at the 99th percentile of frame time",
    LowSchool.WORST: "1 % lows as the rate of the mean of the slowest 1 % of frames",
    LowSchool.TIME: "1 % lows as the rate below which 1 % of the time is spent",
}
WINDOWS = {
    WindowRule.SETTLED: "sustained figures over the settled window of each run",
    WindowRule.LAST_THIRD: "sustained figures over the last third of each load",
}


def methodology(p: Protocol) -> str:
    """One paragraph from what the protocol asks for, and nothing else."""
    asked = [*_room(p), *_machine(p), _builds(p), _run(p), _cool(p), WINDOWS[p.window_rule], SCHOOLS[p.low_school]]
    notes = p.notes.rstrip(". ")
    return " ".join(filter(None, [f"It asks for {'; '.join(filter(None, asked))}.", f"{notes}." if notes else ""]))


def _room(p: Protocol) -> list[str]:
    within = f" ± {p.ambient_within_k:g} K" if p.ambient_within_k is not None else ""
    parts = [f"a room of {p.ambient_c:g} °C{within}"] if p.ambient_c is not None else []
    return parts + ([f"a background noise of {p.room_noise_db:g} dB(A)"] if p.room_noise_db is not None else [])


def _machine(p: Protocol) -> list[str]:
    parts = [f"displays at {p.brightness_nits:g} cd/m²"] if p.brightness_nits is not None else []
    parts += [f"sound at {p.volume_percent:g} %"] if p.volume_percent is not None else []
    parts += [f"radios: {p.radios}"] if p.radios else []
    return parts + ([f"background work: {p.background}"] if p.background else [])


def _builds(p: Protocol) -> str:
    named = [" ".join(filter(None, [b.what, b.version, f"({b.date})" if b.date else ""])) for b in p.builds]
    return ", ".join(named)


def _run(p: Protocol) -> str:
    times = "once" if p.repeats == 1 else f"{p.repeats} times"
    warm = f", after {p.warm_up_min:g} min of warm-up" if p.warm_up_min else ""
    return f"every workload {times} at every setting{warm}"


def _cool(p: Protocol) -> str:
    if p.cool_rule is CoolRule.FIXED:
        return f"a rest of {p.cool_min:g} min between runs"
    return (
        f"a rest between runs until within {p.cool_within_k:g} K of the idle temperature "
        f"({p.cool_min:g} min where the time constant is not known)"
    )
