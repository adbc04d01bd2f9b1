"""The ways to a quantity that a machine does not tell to whoever asks: each with its caution and its undoing."""

from pathlib import Path

from msgspec import Struct

from pinch.language import tr

INSTALLED = Path("/usr/libexec/pinch-probe")
"""Where the package of a distribution puts the probe, with a rule of polkit of its own."""
GROUP = "pinch"
RULE = "/etc/tmpfiles.d/pinch.conf"
LEAKS = tr(
    "On a computer that others use too, such readings give away what their programs do: "
    "that is why the kernel keeps them for root. Ask whoever looks after it first."
)


class Way(Struct, frozen=True):
    """A way to a quantity: what it is, what to do or type, what to heed, how it is taken back."""

    title: str
    how: tuple[str, ...]
    caution: str
    undo: tuple[str, ...]


def ways_to(place: str, refused: bool) -> tuple[Way, ...]:
    """The ways to what a file would tell. Pinch itself takes none of them."""
    beside = Way(
        tr("Take it from beside"),
        (
            tr("a meter at the wall or at the battery (Bench, Instruments)"),
            tr("any program that prints it: a source of lines (Bench, the device, Sources of lines)"),
        ),
        tr("Work at the mains only with a meter made for it, by its maker's instructions."),
        (tr("archive the instrument, or clear the source"),),
    )
    if not refused:
        return (beside,)
    return (
        Way(
            tr("Give rights to the probe alone, for each run"),
            (
                tr("enter one of these as the command that reaches Python (Bench, the device, Another computer):"),
                *([f"pkexec {INSTALLED}"] if INSTALLED.exists() else []),
                "pkexec python3 -",
                "sudo -n python3 -",
            ),
            tr(
                "Only the small probe runs with rights, never the window, and it gives up everything "
                "but reading before it begins. {leaks}",
                leaks=LEAKS,
            ),
            (tr("clear the field"),),
        ),
        Way(
            tr("Open the file to a group, for good"),
            (
                f"groupadd --system {GROUP}; usermod --append --groups {GROUP} USER",
                f"echo 'z {place} 0440 root {GROUP}' >> {RULE}",
                f"systemd-tmpfiles --create {RULE}",
                tr("then log in again"),
            ),
            tr("These are for root to type; Pinch never writes them. {leaks}", leaks=LEAKS),
            (
                f"rm {RULE}",
                f"chmod 0400 {place}; chgrp root {place}",
                f"groupdel {GROUP}",
            ),
        ),
        beside,
    )


def way_lines(way: Way) -> list[str]:
    """A way in lines of text."""
    return [
        f"{way.title}:",
        *(f"    {line}" for line in way.how),
        tr("  Mind: {caution}", caution=way.caution),
        tr("  Taken back by: {undo}", undo="; ".join(way.undo)),
    ]
