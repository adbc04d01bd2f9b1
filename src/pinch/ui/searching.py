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
        """Whether a text has all of them. Asked of each of 30,000 runs at each key: so no generators."""
        folded = text.casefold()
        for word in self._there:
            if word not in folded:
                return False
        return not self._not_there or not any(word in folded for word in self._not_there)
