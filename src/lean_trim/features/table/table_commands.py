"""The Table desk's own commands: shaping the chosen cells, choosing cells, the history, the legend."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from lean_trim.core.decision.choices import CHOICE_WORDS, Choice
from lean_trim.features.table.figure_names import FIGURE_TEXT, Figure
from lean_trim.ui.specs import Command, FeatureCommand, Needs, Place

Run = Callable[[Place, bool], object]


def _on_desk(name: str, place: Place, on: bool) -> None:
    """Do something with the table that has the focus; else turn to the Table desk and do it there."""
    from lean_trim.features.table.desk.desk import table_desk
    from lean_trim.ui.widgets.side_looks import looks_with_focus

    side = looks_with_focus()
    if side is not None and side.run(name):
        return
    place.show_desk("table")
    getattr(table_desk(place), name)()


def _keep_legend(place: Place, on: bool) -> None:
    from lean_trim.features.table.desk.desk import table_desk

    table_desk(place).keep_legend(on)


def _show_curve(place: Place, on: bool) -> None:
    from lean_trim.features.table.desk.desk import table_desk

    place.show_desk("table")
    table_desk(place).show_curve(on)


def _show_truth(place: Place, on: bool) -> None:
    from lean_trim.features.table.desk.desk import table_desk

    table_desk(place).show_truth(on)


def _choose(choice: Choice, place: Place, on: bool) -> None:
    place.show_desk("table")
    place.session.selection.set_cells(place.session.shaping.cells_by(choice))


def _shape(name: str, text: str, tip: str, keys: str, also: str) -> FeatureCommand:
    command = Command(
        name=name, menu="Table", text=text, tip=tip, keys=keys, also=also, needs=Needs.JOB
    )
    return FeatureCommand(command, partial(_on_desk, name))


def _show_figure(figure: Figure, place: Place, on: bool) -> None:
    from lean_trim.features.table.desk.desk import table_desk

    place.show_desk("table")
    table_desk(place).header.choose(figure)


SHAPING = (
    _shape(
        "smooth",
        "Smooth the chosen cells",
        "Even out bends; what is well known moves least, and no cell nobody drove pulls a driven one. "
        "Shown first, done on the second press",
        "Ctrl+M",
        "smoothing even filter",
    ),
    _shape(
        "blend",
        "Blend the chosen cells",
        "Carry the change at both edges of the chosen cells through those between",
        "Ctrl+G",
        "interpolate gradient transition merge",
    ),
    _shape(
        "straighten",
        "Straighten the chosen cells",
        "Put the cells between both edges on the straight line between these",
        "Ctrl+Shift+G",
        "interpolate linear line",
    ),
    _shape(
        "fill",
        "Fill by the surface",
        "Take what the surface through the driven cells asks, whatever the rules made of it",
        "Ctrl+I",
        "extrapolate predict",
    ),
    _shape(
        "copy_correction",
        "Copy the correction",
        "What the chosen cells are changed by, to be laid on others",
        "Ctrl+R",
        "duplicate region",
    ),
    _shape(
        "lay_correction",
        "Lay the copied correction here",
        "From the first chosen cell on",
        "Ctrl+Shift+R",
        "paste region apply",
    ),
    _shape(
        "nudge_up", "Nudge up", "Raise the chosen cells by 1 % (Page Up; Shift: 0.2 %)", "", "raise"
    ),
    _shape(
        "nudge_down",
        "Nudge down",
        "Lower the chosen cells by 1 % (Page Down; Shift: 0.2 %)",
        "",
        "lower reduce",
    ),
)
HANDING = (
    _shape(
        "hand_over_as",
        "Hand over as…",
        "Values, percent or differences, all cells or the chosen ones, with point or comma; copied, as "
        "text, workbook or JSON",
        "Ctrl+Shift+S",
        "export copy save percent multiplier excel json",
    ),
    _shape(
        "open_edited",
        "Open an edited table…",
        "A table that was edited elsewhere: shown as what changed, then decided or driven on",
        "",
        "import load file paste csv xlsx",
    ),
)
AXES = tuple(
    _shape(
        f"{act}_{line}",
        f"{word} a {line}…",
        f"{word} a {line} of the table; what the ECU reads then stands there before it is done",
        "",
        f"axis breakpoint bin rescale {line}",
    )
    for act, word in (("insert", "Put in"), ("move", "Move"), ("remove", "Take out"))
    for line in ("row", "column")
)


def _on_learned(name: str, place: Place, on: bool) -> None:
    """Turn to the learned map beside the Table desk and do something there."""
    from lean_trim.features.logs.pages.logs_page import LogsPage

    place.show_desk("table")
    page = place.show_page("logs")
    assert isinstance(page, LogsPage)
    page.show_learned(True)
    if name:
        getattr(page.learned, name)()


LEARNED = tuple(
    FeatureCommand(
        Command(
            name=name,
            menu="Table",
            text=text,
            tip=tip,
            also="ltft long-term fuel trim adaptive self-learning autotune block learn",
            needs=Needs.JOB,
        ),
        partial(_on_learned, call),
    )
    for name, call, text, tip in (
        (
            "paste_learned",
            "paste_table",
            "Paste a learned map",
            "Long-term trims over engine speed and load, read out of an ECU that learns by itself: judged "
            "beside the logs, shown on the table before anything is decided",
        ),
        ("open_learned", "open_map", "Open a learned map…", "The same of a file"),
    )
)


def _turn_over(place: Place, on: bool) -> None:
    place.show_desk("table")
    place.session.airflow_tables.turn_over()


OTHER_TABLE = FeatureCommand(
    Command(
        name="other_airflow_table",
        menu="Table",
        text="Turn to the other airflow table",
        tip="Of an ECU with a MAF curve and a VE table: put the other one under correction. Both "
        "decisions stay",
        keys="Ctrl+Shift+T",
        also="maf ve blended switch second source",
        needs=Needs.JOB,
    ),
    _turn_over,
)
HISTORY = _shape(
    "history",
    "History of the table…",
    "Every step that led here, also from before the job was opened; go back to any of them",
    "Ctrl+H",
    "undo list steps back revert log",
)
CHOOSING = tuple(
    FeatureCommand(
        Command(
            name=f"choose_{choice}",
            menu="Table",
            text=f"Choose: {CHOICE_WORDS[choice][0]}",
            tip=f"Choose cells: {CHOICE_WORDS[choice][1]}",
            also="select region all",
            needs=Needs.JOB,
        ),
        partial(_choose, choice),
    )
    for choice in Choice
)
FIGURES = tuple(
    FeatureCommand(
        Command(
            name=f"figure_{figure}",
            menu="View",
            text=f"Tiles show: {FIGURE_TEXT[figure][0]}",
            tip=FIGURE_TEXT[figure][1],
            also="number tiles",
            needs=Needs.JOB,
        ),
        partial(_show_figure, figure),
    )
    for figure in Figure
)
CURVE = FeatureCommand(
    Command(
        name="as_curve",
        menu="View",
        text="Show it as a curve",
        tip="The chosen row, column or curve with what was driven, decided, proposed and asked; points "
        "are dragged, nudged or typed over",
        keys="F3",
        also="curve maf graph chart plot slice line",
        check=True,
        needs=Needs.JOB,
    ),
    _show_curve,
)


def _put_region(region: str, place: Place, on: bool) -> None:
    place.session.tuning.put_regions(place.session.selection.cells, region)


def _draw_regions(place: Place, on: bool) -> None:
    from lean_trim.features.table.desk.desk import table_desk

    place.show_desk("table")
    table_desk(place).table.draw_regions(on)


REGION_TEXT = {
    "idle": "Idle",
    "part": "Part throttle",
    "full": "Full throttle",
    "boost": "Boost",
    "": "As the drive tells",
}
REGIONS = (
    *(
        FeatureCommand(
            Command(
                name=f"region_{name or 'told'}",
                menu="Table",
                text=f"Region of the chosen cells: {text}",
                tip="For the share that is written and for the scorecard; limits and cautions stay",
                also="zone area group",
                needs=Needs.JOB,
            ),
            partial(_put_region, name),
        )
        for name, text in REGION_TEXT.items()
    ),
    FeatureCommand(
        Command(
            name="draw_regions",
            menu="View",
            text="Draw the regions",
            tip="Idle, part throttle, full throttle and boost, with lines between them on the tiles",
            also="zones areas borders",
            check=True,
            needs=Needs.JOB,
        ),
        _draw_regions,
    ),
)
LEGEND = FeatureCommand(
    Command(
        name="legend",
        menu="View",
        text="Explain the marks",
        tip="What bars, hatchings and corners of the tiles mean, over their foot",
        keys="F8",
        also="legend key symbols colours",
        check=True,
        needs=Needs.JOB,
    ),
    _keep_legend,
)
TRUTH = FeatureCommand(
    Command(
        name="truth",
        menu="View",
        text="Show truth",
        tip="Compare with the simulated car's true airflow (demo jobs)",
        also="simulated error",
        check=True,
        needs=Needs.CAR,
    ),
    _show_truth,
)
ACTIONS = (
    *SHAPING,
    *HANDING,
    *AXES,
    *LEARNED,
    OTHER_TABLE,
    HISTORY,
    *CHOOSING,
    *FIGURES,
    *REGIONS,
    CURVE,
    LEGEND,
    TRUTH,
)
