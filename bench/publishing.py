"""How long publishing takes: cards, a deck of forty, the report. Run with .venv/bin/python bench/publishing.py [BOOK]

Figures wanted: a deck of 40 cards to PNG of 1920 × 1080 within 20 s on two cores, one card within 0.7 s, the report
within 3 s, its HTML at most 3 MB.
"""

import sys
import tempfile
import time
from collections.abc import Callable
from itertools import cycle, islice
from pathlib import Path

from pinch.bench.opening import open_book
from pinch.charts.chart_files import face_bytes
from pinch.charts.theme import LIGHT
from pinch.narrative.reporting import story_of
from pinch.publish.pages import pdf_bytes
from pinch.publish.pictures import Picture, PictureChoice, write_pictures
from pinch.publish.publication import pictures_of
from pinch.publish.report import html, markdown, plain_html
from pinch.rig.demo import make_demo_book
from pinch.runs.whole_book import read_deck

DECK, SIZE = 40, (1920, 1080)


def timed(words: str, work: Callable[[], object]) -> object:
    start = time.perf_counter()
    result = work()
    print(f"{words:<44} {time.perf_counter() - start:7.2f} s")
    return result


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(sys.argv[1]) if len(sys.argv) > 1 else Path(folder) / "demo.pinch"
        if not path.exists():
            make_demo_book(path)
        timed("cards worked out, every run judged anew", lambda: read_deck(path))
        deck = read_deck(path)
        timed("cards worked out again", lambda: read_deck(path))
        faces = [c.face for c in deck.contents if c.face is not None]
        face_bytes(faces[0], "png", LIGHT, SIZE)  # fonts are loaded once
        for content in deck.contents:
            if content.face is not None:
                timed(f"one card: {content.card.kind}"[:44], lambda f=content.face: face_bytes(f, "png", LIGHT, SIZE))
        pictures = [Picture(n, p.title, p.face) for n, p in enumerate(islice(cycle(pictures_of(deck)), DECK), 1)]
        timed(f"a deck of {DECK} cards", lambda: write_pictures(pictures, Path(folder) / "deck", PictureChoice()))
        book = open_book(path)
        story = story_of(book, deck, "2026-11-25")
        page = timed("the report as HTML", lambda: html(story))
        assert isinstance(page, str)
        print(f"{'its size':<44} {len(page.encode()) / 1e6:7.2f} MB")
        timed("the report as Markdown and plain HTML", lambda: (markdown(story), plain_html(story)))
        timed("the report as PDF", lambda: pdf_bytes(page))
        book.close()


if __name__ == "__main__":
    main()
