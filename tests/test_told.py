"""Nothing that commands tell of the demo book moves unseen, nor how logs and tables of others are understood."""

import gzip
import json

from tests.in_folder import InFolder
from tests.shown import moved_in
from tests.told import TOLD, all_told


class TestTold(InFolder):
    def test_all_is_as_it_was(self) -> None:
        kept, now = json.loads(gzip.decompress(TOLD.read_bytes())), all_told(self.folder)
        self.assertEqual(set(now), set(kept))
        for name, told in now.items():
            with self.subTest(of=name):
                self.assertEqual(
                    moved_in(kept[name], told)[:9], [], "if that is meant, look at it and run scripts/golden"
                )
