"""A report as one HTML file: no script, nothing fetched, readable in grey."""

from __future__ import annotations

from html import escape

import numpy as np

from lean_trim.features.report.content import Block, Facts, Grid, Lines, Report, Rows

STYLE = """
body{font:10pt/1.4 Inter,system-ui,sans-serif;color:#1f282e;max-width:190mm;margin:12mm auto;padding:0 6mm}
h1{font-size:20pt;margin:0}h2{font-size:12.5pt;margin:7mm 0 2mm;break-after:avoid}
p{margin:0 0 1.5mm}.under{color:#5d646a}
table{border-collapse:collapse;font-variant-numeric:tabular-nums;break-inside:avoid}
td,th{padding:.8mm 2mm;text-align:right;border-bottom:.2mm solid #cfc7b6;font-weight:normal}
th{color:#5d646a}td:first-child,th:first-child{text-align:left}td.words{text-align:left}
.grid td,.grid th{padding:.5mm 1mm;font-size:7pt;text-align:right}
@page{margin:14mm}
"""
MOST_TINT_PCT = 10.0
"""Change at which a tint is strongest."""


def tint(change_pct: float) -> tuple[str, float]:
    """Colour and strength, 0 to 0.45, of a cell that changed so much; more fuel is warm, less is cool."""
    strength = 0.45 * min(abs(change_pct) / MOST_TINT_PCT, 1.0) if np.isfinite(change_pct) else 0.0
    return ("#b36a00" if change_pct > 0.0 else "#6247ad"), strength


def report_html(report: Report) -> str:
    """A whole page.

    Parameters
    ----------
    report : what it says.

    Returns
    -------
    HTML with its style inside.
    """
    parts = [
        f"<!doctype html><html lang='en'><head><meta charset='utf-8'><title>{escape(report.title)}</title>"
        f"<style>{STYLE}</style></head><body><h1>{escape(report.title)}</h1>"
        f"<p class='under'>{escape(report.under)}</p>"
    ]
    for section in report.sections:
        parts.append(f"<h2>{escape(section.title)}</h2>")
        parts += [_block(block) for block in section.blocks]
    return "\n".join([*parts, "</body></html>\n"])


def _block(block: Block) -> str:
    if isinstance(block, Lines):
        return "".join(f"<p>{escape(text)}</p>" for text in block.texts)
    if isinstance(block, Facts):
        rows = "".join(
            f"<tr><th>{escape(name)}</th><td class='words'>{escape(value)}</td></tr>"
            for name, value in block.rows
        )
        return f"<table>{rows}</table>"
    if isinstance(block, Rows):
        head = "".join(f"<th>{escape(h)}</th>" for h in block.head)
        rows = "".join(
            "<tr>" + "".join(f"<td>{escape(cell)}</td>" for cell in row) + "</tr>"
            for row in block.rows
        )
        return f"<table><tr>{head}</tr>{rows}</table>"
    return _grid(block)


def _grid(grid: Grid) -> str:
    rows, columns = grid.table.axes
    corner = f"{rows.shown_unit}\\{columns.shown_unit}"
    head = "".join(f"<th>{x:g}</th>" for x in columns.shown)
    lines = []
    for i, y in enumerate(rows.shown):
        cells = []
        for j in range(len(columns)):
            color, strength = tint(float(grid.change_pct[i, j]))
            alpha = f"{round(255 * strength):02x}"
            cells.append(
                f"<td style='background:{color}{alpha}'>{escape(str(grid.texts[i, j]))}</td>"
            )
        lines.append(f"<tr><th>{y:g}</th>{''.join(cells)}</tr>")
    return f"<table class='grid'><tr><th>{escape(corner)}</th>{head}</tr>{''.join(lines)}</table>"
