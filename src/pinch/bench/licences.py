"""Licences under which data may leave, by their SPDX names: title and address."""

LICENCES = {
    "CC-BY-4.0": ("Creative Commons Attribution 4.0", "https://creativecommons.org/licenses/by/4.0/"),
    "CC0-1.0": ("Creative Commons Zero 1.0", "https://creativecommons.org/publicdomain/zero/1.0/"),
}
