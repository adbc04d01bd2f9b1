"""Text cells that no spreadsheet runs as a formula.

A cell of a CSV that begins with one of these signs is taken for a formula by spreadsheets; a quote before it makes it
plain text (OWASP, "CSV Injection"; from memory).
"""

import unicodedata

STARTS = ("=", "+", "-", "@", "\t", "\r", "\n")
_UNSEEN = ("C", "Z")
"""First letters of the categories of signs that show nothing; spreadsheets pass over some of them."""


def harmless(text: str) -> str:
    """The text, with a quote before it where a spreadsheet would run it."""
    first = next((n for n, sign in enumerate(text) if unicodedata.category(sign)[0] not in _UNSEEN), len(text))
    return f"'{text}" if text.startswith(STARTS) or text[first:].startswith(STARTS) else text
