"""Licences under which data may leave, by their SPDX names: title and address."""

from pinch.language import tr

LICENCES = {
    "CC-BY-4.0": (tr("Creative Commons Attribution 4.0"), "https://creativecommons.org/licenses/by/4.0/"),
    "CC0-1.0": (tr("Creative Commons Zero 1.0"), "https://creativecommons.org/publicdomain/zero/1.0/"),
}
