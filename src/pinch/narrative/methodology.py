"""A protocol as the methodology paragraph of a report."""

from pinch.bench.records import CoolRule, LowSchool, Protocol, WindowRule

SCHOOLS = {
    LowSchool.PERCENTILE: "1 % lows are the rate at the 99th percentile of frame time",
    LowSchool.WORST: "1 % lows are the rate of the mean of the slowest 1 % of frames",
    LowSchool.TIME: "1 % lows are the rate below which 1 % of the time was spent",
}


def methodology(p: Protocol) -> str:
    """One paragraph from what the protocol fixes, and nothing else."""
    sentences = [_room(p), _machine(p), _builds(p), _run(p), _cool(p), _figures(p), p.notes.rstrip(". ")]
    return " ".join(f"{s[0].upper()}{s[1:]}." for s in sentences if s)


def _room(p: Protocol) -> str:
    parts = []
    if p.ambient_c is not None:
        within = f" ± {p.ambient_within_k:g} K" if p.ambient_within_k is not None else ""
        parts.append(f"the room was held at {p.ambient_c:g} °C{within}")
    if p.room_noise_db is not None:
        parts.append(f"its background noise was {p.room_noise_db:g} dB(A)")
    return " and ".join(parts)


def _machine(p: Protocol) -> str:
    parts = []
    if p.brightness_nits is not None:
        parts.append(f"displays were set to {p.brightness_nits:g} cd/m²")
    if p.volume_percent is not None:
        parts.append(f"sound to {p.volume_percent:g} %")
    if p.radios:
        parts.append(f"radios: {p.radios}")
    if p.background:
        parts.append(f"background work: {p.background}")
    return "; ".join(parts)


def _builds(p: Protocol) -> str:
    named = [" ".join(filter(None, [b.what, b.version, f"({b.date})" if b.date else ""])) for b in p.builds]
    return f"all machines ran {', '.join(named)}" if named else ""


def _run(p: Protocol) -> str:
    times = "once" if p.repeats == 1 else f"{p.repeats} times"
    warm = f", after {p.warm_up_min:g} min of warm-up" if p.warm_up_min else ""
    return f"every workload was run {times} at every setting{warm}"


def _cool(p: Protocol) -> str:
    if p.cool_rule is CoolRule.FIXED:
        return f"between runs machines rested for {p.cool_min:g} min"
    return (
        f"between runs machines rested until within {p.cool_within_k:g} K of their idle temperature "
        f"({p.cool_min:g} min where the time constant is not known)"
    )


def _figures(p: Protocol) -> str:
    window = {
        WindowRule.SETTLED: "sustained figures are means over the settled window of each run",
        WindowRule.LAST_THIRD: "sustained figures are means over the last third of each load",
    }[p.window_rule]
    return f"{window}; {SCHOOLS[p.low_school]}"
