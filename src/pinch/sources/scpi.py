"""Numbers as instruments send them: the numeric response forms of IEEE 488.2.

NR1 (8.7.2: whole numbers), NR2 (8.7.3: with a point), NR3 (8.7.4: with an exponent), #H, #Q and #B (8.7.5–8.7.7). Not
a number is 9.91E37 and the infinities are ±9.9E37 (SCPI 1999, 7.2.1.4 and 7.2.1.5; from memory).
"""

import math
import re

from pinch.core.errors import PinchError
from pinch.language import tr

NOT_A_NUMBER, INFINITE = 9.91e37, 9.9e37
_DECIMAL = re.compile(r"[+-]?([0-9]+\.?[0-9]*|\.[0-9]+)(\s*[eE]\s*[+-]?[0-9]+)?")
_BASES = {"H": 16, "Q": 8, "B": 2}


def read_numbers(response: str) -> list[float]:
    """The numbers of a response, which commas or semicolons part; what is not a number by the standard's own sign, or
    endless, is NaN.

    Raises
    ------
    PinchError : a part of it has none of the forms.
    """
    return [_number(part.strip(), response) for part in re.split(r"[,;]", response.strip())]


def _number(part: str, response: str) -> float:
    if part[:1] == "#" and part[1:2].upper() in _BASES:
        try:
            return float(int(part[2:], _BASES[part[1].upper()]))
        except (ValueError, OverflowError):
            raise PinchError(
                tr("The instrument answered {short}, which is not a number.", short=short(response))
            ) from None
    if not _DECIMAL.fullmatch(part):
        raise PinchError(tr("The instrument answered {short}, which is not a number.", short=short(response)))
    value = float(re.sub(r"\s", "", part))
    return math.nan if abs(value) >= INFINITE else value


def short(response: str) -> str:
    return repr(response if len(response) <= 40 else response[:40] + "…")
