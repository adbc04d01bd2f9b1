"""Nothing that the window or the report of the demo book shows moves unseen."""

import gzip
import json

from tests.shown import SHOWN, DemoShown, moved_in


class TestShown(DemoShown):
    def test_all_is_as_it_was(self) -> None:
        kept = json.loads(gzip.decompress(SHOWN.read_bytes()))
        how = "if that is meant, look at it and run scripts/golden"
        seen = self.all_seen() | {"deck": self.deck_seen()}
        self.assertEqual(set(seen), set(kept))
        for name, now in seen.items():
            with self.subTest(scene=name):
                self.assertEqual(moved_in(kept[name], now)[:9], [], how)
