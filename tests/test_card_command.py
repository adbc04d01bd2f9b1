"""Cards from the command line: each kind that the window can make, or why it cannot be."""

import contextlib

from pinch.bench.opening import open_book
from tests.in_folder import CommandCase
from tests.window_case import demo_book

GAME = ("--workload", "Skerry Run")
TILE = ("--workload", "Tile Render, all cores")


class TestCards(CommandCase):
    def test_every_kind(self) -> None:
        path = self.folder / "book.pinch"
        with contextlib.closing(open_book(demo_book())) as original:
            original.copy_to(path)
        before = len(self.json_of("card", "list", "--book", path)["cards"])
        gannet = ("--device", "gannet")
        for words, said in (
            (("bars", *GAME, "--along", "field"), "faster"),
            (("matrix", *gannet, "--workload", "Lantern Deep", "--along", "setting"), "reaches 60 fps"),
            (("pairs", *TILE, "--device", "Sandpiper 14", "--along", "supply"), "on battery keeps"),
            (("slopes", *GAME, *gannet, "--along", "setting"), ""),
            (("table", *GAME, "--along", "field", "--metric", "low 1 %"), ""),
            (("curves", *GAME), "reaches 95 %"),
            (("multiples", *GAME, *TILE), ""),
            (("timeline", "--run", "3"), "Held"),
            (("heat", "--run", "3"), "each watt"),
            (("modes", *gannet, *GAME), "draws"),
            (("units",), "units"),
            (("tested",), "runs of"),
        ):
            with self.subTest(words):
                found = self.json_of("card", "add", "--kind", *words, "--book", path)
                self.assertIn(said, found["finding"])
        cards = self.json_of("card", "list", "--book", path)["cards"]
        self.assertEqual(len(cards), before + 12)
        titled = self.json_of("card", "add", "--kind", "units", "--title", "What was tested with", "--book", path)
        self.assertEqual(titled["title"], "What was tested with")
        ids = [str(card["id"]) for card in self.json_of("card", "list", "--book", path)["cards"][before:]]
        left = self.json_of("card", "remove", *ids, "--book", path)["cards"]
        self.assertEqual(len(left), before)
        for words, reason in (
            (("heat",), "needs a --run"),
            (("heat", "--run", "9999"), "there is no run 9999"),
            (("curves",), "needs a --workload"),
            (("modes", *GAME), "needs a --device"),
            (("bars", "--workload", "nothing"), "no workload called 'nothing'"),
        ):
            with self.subTest(words):
                status, _, err = self.run_command("card", "add", "--kind", *words, "--book", path)
                self.assertEqual(status, 2)
                self.assertIn(reason.casefold(), err.casefold())
        self.assertEqual(len(self.json_of("card", "list", "--book", path)["cards"]), before, "nothing half kept")
