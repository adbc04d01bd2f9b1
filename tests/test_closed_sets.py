"""Causes, settled states, answers and channels are closed sets, each defined once and read everywhere."""

import ast
import unittest
from pathlib import Path

import numpy as np

from pinch.charts.theme import DARK, LIGHT
from pinch.core.causes import Cause
from pinch.core.channels import (
    ChannelQuantity,
    Component,
    caption_of,
    component_of,
    is_channel_name,
    is_plausible,
    quantity_of,
    unit_of,
)
from pinch.core.figures import SettledState
from pinch.core.judge import judge
from pinch.core.judged_channels import judged_channels
from pinch.core.runlog import RunLog, Series
from pinch.core.verdict import Answer
from pinch.ui.plots.strip_item import STROKES
from tests import made
from tests.golden import golden_logs

SOURCES = Path(__file__).resolve().parents[1] / "src" / "pinch"


class TestCauses(unittest.TestCase):
    def test_each_has_its_own_words_hatch_and_tints(self) -> None:
        for told in ("label", "phrase", "hatch", "evidence", "light", "dark"):
            self.assertEqual(len({getattr(cause, told) for cause in Cause}), len(Cause), told)
        for cause in Cause:
            self.assertLessEqual(set(cause.hatch), set(STROKES))
            self.assertEqual((LIGHT.causes[cause], DARK.causes[cause]), (cause.light, cause.dark))

    def test_what_a_log_cannot_show(self) -> None:
        self.assertFalse(Cause.HEAT.can_be_seen(("cpu.power", "cpu.clock")))
        self.assertTrue(Cause.HEAT.can_be_seen(("cpu.throttle.count",)))
        self.assertTrue(Cause.UNKNOWN.can_be_seen(()))
        needed = {name for cause in Cause for group in cause.needs for name in group}
        self.assertEqual(needed - set(judged_channels(needed)), set())

    def test_the_live_page_judges_what_the_judge_does(self) -> None:
        """A judgement of the channels that the live page keeps names the same causes as one of all channels."""
        seen = set()
        for golden in golden_logs():
            kept = RunLog({name: golden.log.series[name] for name in judged_channels(golden.log.series)})
            whole, live = judge(golden.log, golden.known).limiters, judge(kept, golden.known).limiters
            self.assertEqual([(s.cause, s.evidence) for s in live], [(s.cause, s.evidence) for s in whole], golden.name)
            seen |= {s.cause for s in whole}
        flag = np.repeat([0.0, 1.0], 225)
        by_flags = (Cause.SKIN, Cause.CURRENT, Cause.SUPPLY, Cause.OUTSIDE)  # few machines tell these otherwise
        for cause in by_flags:
            log = made.two_level()
            name = f"cpu.throttle.{cause}"
            flagged = RunLog({**log.series, name: Series(name, log.series["cpu.power"].t, flag)})
            self.assertEqual(judged_channels([name]), [name])
            seen |= {s.cause for s in judge(flagged).limiters}
        self.assertEqual(seen, set(Cause), "the golden logs show every other cause")


class TestOneDefinition(unittest.TestCase):
    def test_no_member_is_written_as_a_bare_string_elsewhere(self) -> None:
        """Members with a hyphen are unmistakable; those that are common words cannot be told from other uses."""
        homes = {"causes.py", "figures.py", "verdict.py"}
        members = {str(m) for kind in (Cause, SettledState, Answer) for m in kind if "-" in m}
        notes = {"too-short", "frame-cap"}  # the code of a note, and the key of a fairness rule
        for path in SOURCES.rglob("*.py"):
            if path.name in homes:
                continue
            strings = {n.value for n in ast.walk(ast.parse(path.read_text())) if isinstance(n, ast.Constant)}
            self.assertEqual(strings & (members - notes), set(), path.name)

    def test_states_and_answers_say_themselves(self) -> None:
        self.assertEqual([s.ending == "" for s in SettledState], [True, False, True, False])
        self.assertEqual({a.phrase for a in Answer if a.is_decided}, {"faster", "slower"})
        self.assertEqual(len({a.phrase for a in Answer}), len(Answer))


class TestChannels(unittest.TestCase):
    def test_every_word_means_one_thing(self) -> None:
        for kind in (Component, ChannelQuantity):
            words = [word for member in kind for word in member.words]
            twice = {word for word in words if words.count(word) > 1}
            self.assertLessEqual(twice, {"speed", "level"}, kind.__name__)

    def test_what_is_offered_is_a_channel_with_a_component_and_a_quantity(self) -> None:
        for component in Component:
            for channel in component.offered:
                self.assertTrue(is_channel_name(channel))
                self.assertIs(component_of(channel), component)
                self.assertIsNotNone(quantity_of(channel))
        self.assertEqual(unit_of("cpu.core.3.clock"), "MHz")
        self.assertEqual(unit_of("extra.something"), "")

    def test_captions(self) -> None:
        told = {
            "cpu.power": "Power",
            "gpu.power": "Graphics power",
            "gpu.temp": "Graphics temp.",
            "frame.rate": "Frame rate",
            "score.rate": "Rate",
            "battery.charge": "Charge",
            "fan.1.speed": "fan.1.speed",
            "extra.x": "extra.x",
        }
        self.assertEqual({name: caption_of(name) for name in told}, told)

    def test_what_is_plausible(self) -> None:
        self.assertTrue(is_plausible("battery.power", -60.0, 20.0), "it charges")
        self.assertFalse(is_plausible("cpu.power", -1.0, 20.0))
        self.assertFalse(is_plausible("cpu.temp", 20.0, 300.0))
        self.assertTrue(is_plausible("score.rate", -1e12, 1e12), "nobody knows")
