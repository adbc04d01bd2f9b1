"""The pages in the order of the work, with their keys."""

PAGES = [("Bench", "Alt+1"), ("Plan", "Alt+2"), ("Run", "Alt+3"), ("Judge", "Alt+4"), ("Scale", "Alt+5")]
BENCH, PLAN, RUN, JUDGE, SCALE = range(5)
