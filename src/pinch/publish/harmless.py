"""Text cells that no spreadsheet runs as a formula.

A cell of a CSV that begins with one of these signs is taken for a formula by spreadsheets; a quote before it makes it
plain text (common practice, no source).
"""

STARTS = ("=", "+", "-", "@", "\t", "\r", "\n")


def harmless(text: str) -> str:
    """The text, with a quote before it where a spreadsheet would run it."""
    return f"'{text}" if text.lstrip(" \u00a0").startswith(STARTS) or text.startswith(STARTS) else text
