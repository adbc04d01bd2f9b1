"""What the Judge page shows: a run, its log, its judgement, and the figures on its cards. No Qt."""

import math

import numpy as np
from msgspec import Struct

from pinch.bench.records import scores_of
from pinch.charts.spec import minutes
from pinch.core.causes import Cause
from pinch.core.channels import unit_of
from pinch.core.figures import WHOLE_OFF, ChannelFigures
from pinch.core.power_parts import UNCLEAR
from pinch.core.printing import plain
from pinch.core.runlog import reach_s
from pinch.language import numeral, tr
from pinch.narrative import explain_runs
from pinch.narrative.explain_runs import ClaimedLimits
from pinch.narrative.explanation import Explanation
from pinch.narrative.run_words import RunStory, first_minutes
from pinch.ui.run.state import reading_words


class ShownFigure(Struct, frozen=True):
    """A figure: caption, value and unit as they are printed, a quiet second line, and its explanation."""

    caption: str
    value: str
    unit: str
    second: str
    explanation: Explanation


class JudgedRun(RunStory, frozen=True):
    """A run with the figures, words and explanations of the page."""

    def cards(self) -> list[ShownFigure]:
        """The figures in a row, those that this log gives."""
        j = self.judged
        cards = []
        if j.power:
            cards += [self._power_card(j.figures[j.power]), self._burst_card()]
            cards += [] if j.settled.is_whole else [self._hold_card(j.power)]
        if "wall.power" in j.figures:
            f = j.figures["wall.power"]
            cards.append(_card(tr("At the wall"), f, self._wall_share(f), explain_runs.explain_sustained(j, f.channel)))
        if j.clock:
            f = j.figures[j.clock]
            cards.append(
                _card(self._of("clock"), f, _hold_words(f), explain_runs.explain_sustained(j, j.clock), 1e-3, "GHz")
            )
        if j.temp:
            f = j.figures[j.temp]
            cards.append(_card(tr("Temperature"), f, self._headroom(f), explain_runs.explain_temperature(j)))
        if j.rate:
            f = j.figures[j.rate]
            unit = self.workload.score_unit
            caption = tr("Frame rate") if j.rate == "frame.rate" else tr("Score rate")
            second = _hold_words(f) + self._whole_words(f)
            cards.append(_card(caption, f, second, explain_runs.explain_sustained(j, j.rate), unit=unit))
        elif scores := scores_of(self.run):
            cards.append(self._score_card(scores))
        return cards

    def _score_card(self, scores: list[float]) -> ShownFigure:
        """The mean over the passes that count."""
        mean = sum(scores) / len(scores)
        spread = (
            tr("{least} to {most}", least=plain(min(scores)), most=plain(max(scores)))
            if len(scores) > 1
            else tr("one pass")
        )
        explained = explain_runs.explain_score(self.run, self.workload.score_unit)
        return ShownFigure(tr("Score"), plain(mean), self.workload.score_unit, spread, explained)

    def _power_card(self, f: ChannelFigures) -> ShownFigure:
        claimed = self.setting.sustained_w
        words = [tr("claimed {claimed:g}", claimed=claimed)] if claimed else []
        words += [plus_minus(f.sustained.u)] if math.isfinite(f.sustained.u) else []
        return _card(self._of("power"), f, ", ".join(words), explain_runs.explain_sustained(self.judged, f.channel))

    def _of(self, what: str) -> str:
        """What a figure is called: of a scene nothing is sustained."""
        if self.judged.clock == "gpu.clock" and what == "clock":
            return tr("Graphics clock")
        return (
            tr("{words}, average", words=tr(what).capitalize())
            if self.judged.settled.is_whole
            else tr("Sustained {what}", what=tr(what))
        )

    def _wall_share(self, wall: ChannelFigures) -> str:
        """The package's share of what the wall gives."""
        if self.judged.power is None or not wall.sustained.value > 0:
            return ""
        package = self.judged.figures[self.judged.power].sustained.value
        return (
            tr("package {package:.0f} % of it", package=100 * package / wall.sustained.value)
            if math.isfinite(package)
            else ""
        )

    def _burst_card(self) -> ShownFigure:
        limits = self.judged.limits
        claimed = ClaimedLimits(self.setting.sustained_w, self.setting.burst_w, self.setting.window_s)
        explained = explain_runs.explain_burst(self.judged, claimed)
        if not math.isfinite(limits.burst.value):
            return ShownFigure(tr("Burst power"), tr("none"), "", tr("no burst in this run"), explained)
        second = tr("{burst_s:.0f} s", burst_s=limits.burst_s.value)
        if math.isfinite(limits.window_s.value):
            second += tr(
                ", window {what}{window_s:.0f} s", what="≥ " if limits.bounded else "", window_s=limits.window_s.value
            )
        return ShownFigure(tr("Burst power"), numeral(limits.burst.value, ".1f"), "W", second, explained)

    def _hold_card(self, channel: str) -> ShownFigure:
        f = self.judged.figures[channel]
        value = numeral(100 * f.hold, ".0f") if math.isfinite(f.hold) else "–"
        of = tr("of its burst") if self.judged.limits.burst.known else tr("of its first 10 s")
        return ShownFigure(tr("Power held"), value, "%", of, explain_runs.explain_hold(self.judged, channel))

    def _whole_words(self, f: ChannelFigures) -> str:
        """The mean over all of the load, where what was held does not speak for it."""
        whole = self.judged.whole_beside(f.channel)
        return tr(", in all {figures}", figures=_figures(whole)) if math.isfinite(whole) else ""

    def _headroom(self, f: ChannelFigures) -> str:
        high = self.judged.ranges[f.channel].load.high
        peak = tr(", peak {high:.0f}", high=high) if high - f.sustained.value >= 1.0 else ""
        if self.judged.settled.is_whole:
            return tr("on average{peak}", peak=peak)
        room = self.judged.temp_limit_c - f.sustained.value
        if not math.isfinite(room):
            return tr("limit not known{peak}", peak=peak)
        if room >= 1.0:
            return tr("{room:.0f} K to limit{peak}", room=room, peak=peak)
        return tr(
            "{what} its limit{peak}",
            what=tr("at") if Cause.HEAT in self.judged.limiter_share else tr("as high as"),
            peak=peak,
        )

    @property
    def asks_budget(self) -> bool:
        """Whether nobody knows if processor and graphics share one budget of power."""
        return any(w.code == UNCLEAR for w in self.judged.warnings)

    def overview(self) -> list[str]:
        """What the margin says before anything is clicked."""
        j = self.judged
        lines = [self.footnote.replace(" · ", ", ") + "."]
        if self.run.cut_off:
            lines.append(tr("This run has no stop: it is still growing, or its recorder died. What there is was kept."))
        elif self.run.reason:
            lines.append(tr("It {status}: {reason}", status=self.run.status, reason=self.run.reason))
        lines.append(
            tr(
                "Load of {duration_s} from {load_start_s}; settled window {start_s} to {end_s}.",
                duration_s=minutes(j.duration_s),
                load_start_s=minutes(j.load_start_s),
                start_s=minutes(j.settled.start_s),
                end_s=minutes(j.settled.end_s),
            )
        )
        lines += [w.text for w in j.warnings]
        lines += [*self._split_words(), *self._early_words(), *self._part_words()]
        if self.run.window is not None:
            lines.append(tr("Why this window: {what}.", what=self.run.window.reason.rstrip(".")))
        lines += [tr("Mark at {t_s}: {text}", t_s=minutes(m.t_s), text=m.text) for m in self.log.marks]
        lines += [reading_words(r) for r in self.readings]
        cost = j.figures.get("probe.load")
        high = any(w.code == "own-cost" for w in j.warnings)
        if cost is not None and math.isfinite(cost.sustained.value) and not high:
            lines.append(
                tr("Reading the sensors took {sustained} % of a core.", sustained=plain(cost.sustained.value, 2))
            )
        if self.run.in_spite_of:
            lines.append(tr("Started in spite of: {in_spite_of}", in_spite_of=" ".join(self.run.in_spite_of)))
        if self.run.before:
            lines += [tr("Before it began:"), *self.run.before]
        lines.append(tr("Click a figure or a stretch of the strip to see where it comes from."))
        return lines

    def _split_words(self) -> list[str]:
        """How a budget that processor and graphics share was split, and the levels of a limiter with more than two."""
        found, figures, j = [], self.judged.figures, self.judged
        parts = [
            (w, figures[c].sustained.value)
            for w, c in ((tr("the processor"), "cpu.power"), ("graphics", "gpu.power"))
            if c in figures
        ]
        if j.power == "soc.power" and parts:
            words = tr(" and ").join(tr("{word} {watts:.1f} W", word=word, watts=watts) for word, watts in parts)
            found.append(
                tr("Of {sustained:.1f} W for all, {words}.", sustained=figures[j.power].sustained.value, words=words)
            )
        if len(j.plateaus) > 2:
            levels = ", ".join(
                tr("{power_w:.1f} W from {start_s}", power_w=p.power_w, start_s=minutes(p.start_s)) for p in j.plateaus
            )
            found.append(tr("Power kept {plateaus} levels: {levels}.", plateaus=len(j.plateaus), levels=levels))
        return found

    def _early_words(self) -> list[str]:
        """The first minutes against the rest, where they differ."""
        early = self.judged.early_late.get(self.judged.rate or self.judged.clock or "")
        if early is None or not abs(early.kept - 1.0) >= WHOLE_OFF:
            return []
        unit = self.workload.score_unit if early.channel == self.judged.rate else early.unit
        means = tr("{early} {unit}, then {late}", early=plain(early.early), unit=unit, late=plain(early.late))
        return [
            tr(
                "{first_minutes}: {means}, {kept:.0f} % of it.",
                first_minutes=first_minutes(early),
                means=means,
                kept=100 * early.kept,
            )
        ]

    def _part_words(self) -> list[str]:
        """What held the part that does not govern the work."""
        found = []
        for name, part in self.judged.parts.items():
            (cause, share), *_ = part.limiter_share.items()
            what = tr("The processor") if name == "cpu" else tr("Graphics")
            found.append(
                tr(
                    "{what} alone: for {share:.0f} % of the load held by {phrase}.",
                    what=what,
                    share=100 * share,
                    phrase=cause.phrase,
                )
            )
        return found

    def events(self) -> list[float]:
        """When something happens: changes of the limiter, marks, gaps, collapses and the settled window, s in order."""
        j = self.judged
        times = [s.start_s for s in j.limiters] + [m.t_s for m in self.log.marks]
        times += [g.start_s for g in j.gaps] + [c.start_s for c in j.collapses] + [j.settled.start_s, j.load_end_s]
        return sorted(set(times))

    def values_at(self, t_s: float) -> str:
        """What was logged at a time, and what held the run there."""
        words = [minutes(t_s)]
        for channel in (self.judged.power, "wall.power", self.judged.clock, self.judged.temp, self.judged.rate):
            series = self.log.series.get(channel or "")
            if series is None or not len(series.t):
                continue
            place = int(np.searchsorted(series.t, t_s))
            if place < len(series.t) and series.t[place] - t_s <= reach_s(series.t):
                unit = self.workload.score_unit if channel == self.judged.rate else unit_of(series.channel)
                words.append(f"{plain(series.values[place])} {unit}")
        cause = next((s.cause for s in self.judged.limiters if s.start_s <= t_s < s.end_s), None)
        return " · ".join([*words, *([tr("held by {phrase}", phrase=cause.phrase)] if cause else [])])

    def explain_at(self, t_s: float) -> Explanation | None:
        """The stretch of the limiter strip at a time."""
        for segment in self.judged.limiters:
            if segment.start_s <= t_s < segment.end_s:
                return explain_runs.explain_segment(self.judged, segment)
        return None


def _card(
    caption: str,
    f: ChannelFigures,
    second: str,
    explanation: Explanation,
    factor: float = 1.0,
    unit: str | None = None,
) -> ShownFigure:
    value = f.sustained.value * factor
    text = "–" if not math.isfinite(value) else _figures(value)
    return ShownFigure(caption, text, f.unit if unit is None else unit, second, explanation)


def _figures(value: float) -> str:
    """Four figures at most, never fewer than the whole part."""
    decimals = max(0, 3 - len(str(int(abs(value)))))
    return numeral(value, f".{min(2, decimals)}f")


def plus_minus(u: float) -> str:
    """An uncertainty beside a value printed to a tenth; '' where there is none."""
    if not math.isfinite(u):
        return ""
    return f"± < {numeral(0.05, 'g')}" if u < 0.05 else f"± {numeral(u, '.1f')}"


def _hold_words(f: ChannelFigures) -> str:
    return tr("hold {hold:.0f} %", hold=100 * f.hold) if math.isfinite(f.hold) else ""
