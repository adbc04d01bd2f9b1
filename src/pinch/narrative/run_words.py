"""What a judged run says: its finding, its timeline, its frames and its heat."""

import math
from collections.abc import Mapping, Sequence

from msgspec import Struct, field

from pinch.analysis.points import RunPoint
from pinch.bench.readings import Reading
from pinch.bench.records import Device, Run, Setting, Workload, standing, when_words, workload_words
from pinch.charts.frame_charts import frame_curve, frame_spread, frame_strip
from pinch.charts.heat_charts import cooling_chart, heat_chart
from pinch.charts.overlay import Overlaid, overlay_chart
from pinch.charts.spec import Chart, minutes
from pinch.charts.timeline_chart import timeline_chart
from pinch.core.cell_scores import CellScore
from pinch.core.early_late import EarlyLate
from pinch.core.figures import SettledState
from pinch.core.framekinds import Share
from pinch.core.judge import PART_FRAMES, Judgement
from pinch.core.printing import in_percent, more_minutes, number_word, plain
from pinch.core.runlog import RunLog
from pinch.language import day_words, tr
from pinch.narrative.finding import finding


class RunStory(Struct, frozen=True):
    """A run with its records, its log and its judgement; `records` is what all records of its scene come to by low,
    where there are several."""

    run: Run
    device: Device
    setting: Setting
    workload: Workload
    log: RunLog
    judged: Judgement
    readings: tuple[Reading, ...] = ()
    records: Mapping[str, CellScore] = field(default_factory=dict)

    def is_same(self, other: "RunStory | None") -> bool:
        """Whether another tells the same; of the log and the judgement that are the very same ones."""
        return other is not None and self.log is other.log and self.judged is other.judged and self == other

    @property
    def headline(self) -> str:
        """The finding; a void run says so first."""
        words = finding(self.judged, self.setting.sustained_w)
        return tr("Void: {what}. {words}", what=self.run.void.rstrip("."), words=words) if self.run.void else words

    @property
    def conditions(self) -> str:
        """Room and supply."""
        room = (
            tr("room not noted")
            if self.run.ambient_c is None
            else tr("room {ambient_c:g} °C", ambient_c=self.run.ambient_c)
        )
        return f"{room} · {tr('mains') if self.setting.mains else tr('battery')}"

    @property
    def footnote(self) -> str:
        """Conditions of the run, for charts that leave the bench."""
        words = [
            workload_words(self.workload),
            tr("run {repeat}", repeat=self.run.repeat),
            day_words(self.run.day) if self.run.day else tr("day not noted"),
        ]
        return " · ".join([*words, self.conditions, *filter(None, [standing(self.device)])])

    def chart(self, slot: int = 0) -> Chart:
        """The timeline."""
        title = f"{self.device.name}, {self.setting.name}: {self.headline}"
        claimed, unit = self.setting.sustained_w, self.workload.score_unit
        return timeline_chart(self.log, self.judged, title, claimed, unit, self.footnote, slot)


def frame_charts(shown: RunStory, slot: int) -> tuple[Chart, ...]:
    """Strip, sorted curve and spread; none without frames."""
    f, kinds = shown.judged.frames, shown.judged.kinds
    if f is None or kinds is None:
        return ()
    title = tr(
        "{device}, {setting}: {average_fps:.1f} fps, 1 % low {percentile:.1f}",
        device=shown.device.name,
        setting=shown.setting.name,
        average_fps=f.average_fps,
        percentile=f.low_1.percentile,
    )
    return tuple(make(kinds, f, title, shown.footnote, slot) for make in (frame_strip, frame_curve, frame_spread))


def heat_charts(shown: RunStory, slot: int) -> tuple[Chart, ...]:
    """Measured and fitted temperature, and the cool-down; none without a fit."""
    heat, power = shown.judged.heat, shown.judged.power
    if heat is None or power is None:
        return ()
    title = tr(
        "{device}, {setting}: {r_th:.2f} K/W",
        device=shown.device.name,
        setting=shown.setting.name,
        r_th=heat.r_th.value,
    )
    settled = shown.judged.figures[power].sustained.value
    settled = settled if math.isfinite(settled) else float(heat.power_w[-1])
    idle = shown.judged.limits.idle_w
    idle = idle if math.isfinite(idle) else 0.0
    return heat_chart(heat, title, shown.footnote, slot), cooling_chart(
        heat, settled, idle, title, shown.footnote, slot
    )


def names_of(runs: Sequence[RunStory | RunPoint]) -> tuple[str, ...]:
    """Each run by what tells it from the others."""
    parts = [
        (r.device.name, r.setting.name, r.workload.name, _room(r), tr("run {repeat}", repeat=r.run.repeat))
        for r in runs
    ]
    telling = [place for place in range(5) if len({part[place] for part in parts}) > 1] or [1, 4]
    named = [", ".join(part[place] for place in telling if part[place]) for part in parts]
    if len(set(named)) < len(named):
        named = [f"{name}, {when_words(r.run)}" for name, r in zip(named, runs, strict=True)]
    return tuple(named)


def _room(shown: RunStory | RunPoint) -> str:
    return "" if shown.run.ambient_c is None else tr("{ambient_c:g} °C", ambient_c=shown.run.ambient_c)


def overlay_of(runs: Sequence[RunStory]) -> Chart:
    """Runs laid over each other."""
    names = names_of(runs)
    overlaid = [
        Overlaid(name, run.log, run.judged, slot) for slot, (name, run) in enumerate(zip(names, runs, strict=True))
    ]
    title = tr("{first} beside {others}", first=names[0], others=", ".join(names[1:]))
    return overlay_chart(overlaid, title, " · ".join(dict.fromkeys(run.footnote for run in runs)))


def first_minutes(early: EarlyLate) -> str:
    """How long the first part is that is told from the rest."""
    return (
        tr("First minute")
        if early.first_min == 1
        else tr("First {number_word} minutes", number_word=number_word(early.first_min))
    )


def frames_words(shown: RunStory) -> str:
    """The frames of a run in a sentence, or why there are none."""
    f, kinds = shown.judged.frames, shown.judged.kinds
    if f is None or kinds is None:
        if shown.judged.rate == "frame.rate":
            return tr("Only rates of frames were logged: single long frames cannot be seen in them; there are no lows.")
        return tr("No single frames were logged here. Follow a frame log on the Run page, or add one with the log.")
    words = [
        tr(
            "{frames:,} frames in {duration_s}: {average_fps:.1f} fps on average.",
            frames=f.frames,
            duration_s=minutes(f.duration_s),
            average_fps=f.average_fps,
        )
    ]
    early = shown.judged.early_late.get("frame.rate")
    if early is not None:
        words.append(
            tr(
                "{first_minutes} {early:.1f} fps, then {late:.1f}.",
                first_minutes=first_minutes(early),
                early=early.early,
                late=early.late,
            )
        )
    if kinds.dropped is not None:
        words.append(tr("{share_words} dropped.", share_words=_share_words(kinds.dropped)))
    if kinds.generated is not None and kinds.generated.count:
        words.append(
            tr(
                "{share_words} generated; shown {shown_fps:.1f} fps, drawn as above.",
                share_words=_share_words(kinds.generated),
                shown_fps=kinds.shown_fps,
            )
        )
    words += [
        note.text for note in shown.judged.warnings if note.code in (PART_FRAMES, "first-pass", "few-frames-0.01")
    ]
    return " ".join(words)


def heat_words(shown: RunStory) -> str:
    """The heat of a run in a sentence, or why it cannot be told."""
    j = shown.judged
    if j.heat is None:
        why = next((note.text for note in j.warnings if note.code in ("no-heat", "no-temp", "no-power")), "")
        return why or tr("Heat cannot be told of this run.")
    heat = j.heat
    words = [tr("{r_th:.2f} K for each watt", r_th=heat.r_th.value)]
    if math.isfinite(heat.coolable_w.value):
        room = (
            tr("this room, which nobody noted,")
            if heat.offset_fitted
            else tr("a room of {room_c:.0f} °C", room_c=heat.room_c)
        )
        words.append(
            tr(
                "it carries {coolable_w:.1f} W at its limit in {room}", coolable_w=heat.coolable_w.value, room=room
            ).rstrip(",")
        )
    lead = "; ".join(words) + "."
    if j.settled.state == SettledState.DRIFTING and heat.more_s > 0.0:
        lead += tr(
            " It leads to {end_c:.1f} °C and needs {more_minutes}.",
            end_c=heat.end_c,
            more_minutes=more_minutes(heat.more_s),
        )
    return " ".join([lead, *(note.text for note in heat.notes)])


def _share_words(share: Share) -> str:
    return tr(
        "{count} frames ({share}, {low} to {high})",
        count=share.count,
        share=in_percent(share.value),
        low=plain(100 * share.low, 2),
        high=plain(100 * share.high, 2),
    )
