"""Programs of a device that print lines, as sources of a run: what their names are, and what was answered before."""

import re
import shutil
from collections.abc import Mapping, Sequence

import numpy as np

from pinch.bench.parts import LineProgram
from pinch.core.channels import is_channel_name
from pinch.core.errors import PinchError
from pinch.intake.reworking import ChannelMeant, read_meant
from pinch.intake.what_file import TIMES
from pinch.language import tr
from pinch.recorder.line_source import LineSource, NamedColumn, Naming
from pinch.recorder.lines import command_words
from pinch.sources.logs.mapping import ColumnMapping, ColumnUse, ShownColumn, extra_channel, fingerprint, guess
from pinch.sources.logs.memory import recall, remember


def source_of(program: LineProgram) -> LineSource:
    """The source that a program is.

    Raises
    ------
    PinchError : its command cannot be read or started, or what is said of its names cannot be understood.
    """
    words = command_words(program.command, tr("of {program}", program=program.name))
    if not words or shutil.which(words[0]) is None:
        raise PinchError(
            tr(
                "There is no command {what!r} on this computer, for {program}.",
                what=words[0] if words else "",
                program=program.name,
            )
        )
    return LineSource(program.name, words, naming_by(read_names(program.meant)))


def read_names(text: str) -> dict[str, ChannelMeant]:
    """What names of a program are meant to be, as it is typed: `pwr = gpu.power*0.001; hot spot = gpu.temp; fan =`.

    Raises
    ------
    PinchError : a part of it has no `=`, or names no channel.
    """
    meant = {}
    for part in filter(None, (p.strip() for p in re.split(r"[;\n]", text))):
        name, sign, channel = part.rpartition("=")
        if not sign:
            raise PinchError(
                tr("{part!r} does not say what a name is; write it as name = channel, such as t = gpu.temp.", part=part)
            )
        to = read_meant(channel)
        if to.name and not is_channel_name(to.name):
            raise PinchError(tr("{name}: {to!r} is not a channel such as gpu.temp.", name=name.strip(), to=to.name))
        meant[name.strip()] = to
    return meant


def naming_by(meant: Mapping[str, ChannelMeant]) -> Naming:
    """Names as somebody meant them, remembered for whatever tells the same names; else as they were remembered; else
    guessed like the columns of a log. A guess that is not sure stays under the program's own name, and that is said."""

    def naming(shown: Mapping[str, Sequence[float]]) -> tuple[Mapping[str, NamedColumn], Sequence[str]]:
        names = list(shown)
        key = fingerprint(names, [""] * len(names))
        remembered = recall(key, ColumnMapping) if not meant else None
        if remembered is not None and [use.column for use in remembered.columns] == names:
            uses, said = list(remembered.columns), list[str]()
        else:
            uses, said = _guessed(shown, meant)
        if meant:
            said += [tr("it tells nothing called {name}", name=name) for name in meant if name not in shown]
            remember(key, ColumnMapping(columns=tuple(uses)))
        return {u.column: NamedColumn(u.channel, u.factor, u.offset) for u in uses if u.channel}, said

    return naming


def _guessed(
    shown: Mapping[str, Sequence[float]], meant: Mapping[str, ChannelMeant]
) -> tuple[list[ColumnUse], list[str]]:
    spans = [ShownColumn(min(v), float(np.median(v)), max(v), v[-1] - v[0]) for v in shown.values()]
    uses, said = list[ColumnUse](), list[str]()
    for use in guess(list(shown), [""] * len(shown), spans):
        to = meant.get(use.column)
        if to is not None:
            uses.append(ColumnUse(column=use.column, channel=to.name, factor=to.factor))
        elif use.column.casefold().split(" [")[0] in TIMES or use.counts:
            uses.append(ColumnUse(column=use.column))
            why = tr("what adds up is no power") if use.counts else tr("a line belongs to the moment at which it comes")
            said.append(tr("{column} is left out: {why}", column=use.column, why=why))
        elif use in ColumnMapping(columns=(use,)).doubtful:
            own = extra_channel(use.column)
            uses.append(ColumnUse(column=use.column, channel=own))
            said.append(
                tr(
                    "{column} may be {channel} ({why}); it is kept as {own} until somebody says so",
                    column=use.column,
                    channel=use.channel,
                    why=use.why,
                    own=own,
                )
            )
        else:
            uses.append(use.model_copy(update={"score": 1.0}))
    twice = {u.channel for u in uses if u.channel and [v.channel for v in uses].count(u.channel) > 1}
    if twice:
        raise PinchError(tr("two of its names cannot both be {twice}", twice=", ".join(sorted(twice))))
    return uses, said
