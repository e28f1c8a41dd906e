"""Figures can be read on every ground they stand on: contrast by WCAG 2.2, success criterion 1.4.3 (AA).

https://www.w3.org/TR/WCAG22/#contrast-minimum and the definition of relative luminance there.
"""

from __future__ import annotations

import pytest
from PySide6.QtGui import QColor

from lean_trim.ui.theme import LIGHT, NIGHT, Theme

LEAST = 4.5
SEEN, UNSEEN = 1.0, 0.85
"""Opacity of figures on tiles that were driven, and on others."""


def over(ground: QColor, ink: QColor) -> QColor:
    """A colour with opacity on a ground."""
    a = ink.alphaF()
    mixed = (
        a * i + (1.0 - a) * g
        for i, g in zip(ink.getRgbF()[:3], ground.getRgbF()[:3], strict=True)  # type: ignore[index]
    )
    return QColor.fromRgbF(*mixed)


def luminance(color: QColor) -> float:
    def linear(c: float) -> float:
        return c / 12.92 if c <= 0.04045 else float(((c + 0.055) / 1.055) ** 2.4)

    r, g, b = (linear(c) for c in color.getRgbF()[:3])  # type: ignore[index]
    return 0.2126 * r + 0.7152 * g + 0.0722 * b


def contrast(one: QColor, other: QColor) -> float:
    light, dark = sorted((luminance(one), luminance(other)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


def test_the_measure_is_that_of_the_standard() -> None:
    # WCAG: black on white is 21:1; the example #777777 on white, 4.48, is widely published.
    assert contrast(QColor("#000000"), QColor("#ffffff")) == pytest.approx(21.0)
    assert contrast(QColor("#777777"), QColor("#ffffff")) == pytest.approx(4.48, abs=0.005)


@pytest.mark.parametrize("theme", [LIGHT, NIGHT], ids=["light", "night"])
def test_figures_on_every_ground(theme: Theme) -> None:
    paper = theme.color("paper")
    hatched = over(theme.color("sheet"), theme.color("faint", 0.16))
    grounds = {
        "driven": (paper, SEEN),
        "not driven": (hatched, UNSEEN),
        "between the lines of the hatching": (theme.color("sheet"), UNSEEN),
        "driven and chosen": (over(paper, theme.color("select", 0.12)), SEEN),
        "not driven and chosen": (over(hatched, theme.color("select", 0.12)), UNSEEN),
    }
    for name, (ground, opacity) in grounds.items():
        figure = over(ground, theme.color("ink", opacity))
        assert contrast(figure, ground) >= LEAST, name
    for name, ink, ground in (
        ("heads", "ink", "sheet"),
        ("faint words", "faint", "sheet"),
        ("dangers", "danger", "caution_paper"),
        ("cautions", "ink", "caution_paper"),
        ("a primary button", "on_accent", "accent"),
    ):
        assert contrast(theme.color(ink), theme.color(ground)) >= LEAST, name
