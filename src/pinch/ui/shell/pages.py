"""The pages in the order of the work, with their keys."""

_NAMES = ("Bench", "Plan", "Run", "Judge", "Scale", "Compare", "Modes", "Publish")
PAGES = [(name, f"Alt+{number}") for number, name in enumerate(_NAMES, 1)]
BENCH, PLAN, RUN, JUDGE, SCALE, COMPARE, MODES, PUBLISH = range(8)
