"""Contrast and colour vision of both themes."""

import itertools
import unittest

import numpy as np

from pinch.charts.theme import DARK, LIGHT, Theme

# Machado, Oliveira and Fernandes 2009, severity 1.0 (from memory): linear RGB as seen with each deficiency.
VISION = {
    "normal": np.eye(3),
    "protan": np.array(
        [[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]]
    ),
    "deutan": np.array(
        [[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.011820, 0.042940, 0.968881]]
    ),
    "tritan": np.array(
        [[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602], [0.004733, 0.691367, 0.303900]]
    ),
}


def linear(colour: str) -> np.ndarray:
    rgb = np.array([int(colour[i : i + 2], 16) for i in (1, 3, 5)]) / 255
    return np.where(rgb <= 0.04045, rgb / 12.92, ((rgb + 0.055) / 1.055) ** 2.4)


def contrast(one: str, other: str) -> float:
    # WCAG 2.2, relative luminance and contrast ratio.
    a, b = sorted(float(linear(c) @ [0.2126, 0.7152, 0.0722]) for c in (one, other))
    return (b + 0.05) / (a + 0.05)


def oklab(rgb: np.ndarray) -> np.ndarray:
    # OKLab (Ottosson 2020), matrices from memory.
    to_lms = np.array(
        [
            [0.4122214708, 0.5363325363, 0.0514459929],
            [0.2119034982, 0.6806995451, 0.1073969566],
            [0.0883024619, 0.2817188376, 0.6299787005],
        ]
    )
    to_lab = np.array(
        [
            [0.2104542553, 0.7936177850, -0.0040720468],
            [1.9779984951, -2.4285922050, 0.4505937099],
            [0.0259040371, 0.7827717662, -0.8086757660],
        ]
    )
    return to_lab @ np.cbrt(np.clip(to_lms @ rgb, 0, None))


def nearest(theme: Theme) -> float:
    return min(
        float(np.linalg.norm(oklab(np.clip(m @ linear(a), 0, 1)) - oklab(np.clip(m @ linear(b), 0, 1))))
        for m in VISION.values()
        for a, b in itertools.combinations(theme.devices, 2)
    )


class TestTheme(unittest.TestCase):
    def test_reference_values(self) -> None:
        # Examples of the W3C's Understanding SC 1.4.3, WCAG 2.2 (from memory): #777777 fails by a hair, #767676 passes.
        for colour, ratio in (
            ("#000000", 21.0),
            ("#777777", 4.48),
            ("#767676", 4.54),
            ("#FF0000", 4.0),
            ("#949494", 3.03),
        ):
            self.assertAlmostEqual(contrast(colour, "#FFFFFF"), ratio, delta=0.006)
        np.testing.assert_allclose(oklab(np.ones(3)), [1, 0, 0], atol=1e-6)

    def test_text_and_graphics_contrast(self) -> None:
        for theme in (LIGHT, DARK):
            for ground in (theme.paper, theme.spine, theme.margin):
                for text in (theme.ink, theme.quiet, theme.accent):
                    self.assertGreaterEqual(contrast(text, ground), 4.5, f"{theme.name}: {text} on {ground}")
            for colour in theme.devices:
                self.assertGreaterEqual(contrast(colour, theme.paper), 3.0, colour)
            for fill, line in theme.causes.values():
                self.assertGreaterEqual(contrast(line, fill), 3.0, fill)

    def test_devices_are_told_apart_by_every_eye(self) -> None:
        self.assertGreaterEqual(nearest(LIGHT), 0.12)
        self.assertGreaterEqual(nearest(DARK), 0.12)
