"""What a field for a search keeps, the same for every list."""


def keeps(text: str, wanted: str) -> bool:
    """Whether a text has all words of a search; a word with `-` before it must not be there."""
    own = text.casefold()
    words = (word for word in wanted.casefold().split() if word != "-")
    return all(word[1:] not in own if word.startswith("-") else word in own for word in words)
