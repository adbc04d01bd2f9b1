"""What a field for a search keeps, the same for every list."""


class Search:
    """Words to look for; one with `-` before it must not be there. It looks for nothing where there is none."""

    def __init__(self, wanted: str) -> None:
        words = [word for word in wanted.casefold().split() if word != "-"]
        self._there = [word for word in words if not word.startswith("-")]
        self._not_there = [word[1:] for word in words if word.startswith("-")]

    def __bool__(self) -> bool:
        return bool(self._there or self._not_there)

    def keeps(self, text: str) -> bool:
        """Whether a text has all of them."""
        stands = text.casefold().__contains__
        return all(map(stands, self._there)) and not any(map(stands, self._not_there))
