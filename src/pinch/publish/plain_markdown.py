"""Text in Markdown."""

import re


def escaped(text: str) -> str:
    """Text in which Markdown sees no markup."""
    return re.sub(r"([\\`*_\[\]<>#|])", r"\\\1", text.replace("\n", " "))
