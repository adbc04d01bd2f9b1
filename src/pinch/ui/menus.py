"""The menus: every action of the window with its keyboard way."""

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import QMainWindow, QMenu

from pinch.bench.records import Setting

if TYPE_CHECKING:
    from pinch.ui.window import MainWindow

Entry = tuple[str, Callable[[], object], str] | None
"""Words, what it does, and its keys; None is a line between groups."""


def fill_menus(
    window: QMainWindow, menus: list[tuple[str, list[Entry]]], safely: Callable[[Callable[[], object]], None]
) -> dict[str, QAction]:
    """Build the menu bar; `safely` calls what an action does. Returns the actions by their words."""
    bar = window.menuBar()
    assert bar is not None
    actions: dict[str, QAction] = {}
    for title, entries in menus:
        menu = bar.addMenu(title)
        assert menu is not None
        for entry in entries:
            if entry is None:
                menu.addSeparator()
            else:
                actions[entry[0]] = _add(window, menu, entry, safely)
    return actions


def _add(
    window: QMainWindow,
    menu: QMenu,
    entry: tuple[str, Callable[[], object], str],
    safely: Callable[[Callable[[], object]], None],
) -> QAction:
    words, call, keys = entry
    action = QAction(words, window)
    if keys:
        action.setShortcut(QKeySequence(keys))
    action.triggered.connect(lambda: safely(call))
    menu.addAction(action)
    return action


def window_menus(window: "MainWindow") -> list[tuple[str, list[Entry]]]:
    """What stands in the menus of the main window."""
    asking, changes, benching, planning = window.asking, window.changes, window.benching, window.planning
    session, publish = window.session, window.publish_desk
    pages = [(entry.text(), f"Alt+{number + 1}") for number, entry in enumerate(window.spine.entries)]

    def new_setting() -> None:
        window.show_bench(Setting)
        benching.new()

    return [
        (
            "&Book",
            [
                ("New book …", asking.new_book, "Ctrl+N"),
                ("Open book …", asking.open_book, "Ctrl+O"),
                ("Save a copy …", asking.copy_book, "Ctrl+Shift+S"),
                ("Write the book as open files …", asking.write_book, ""),
                ("Book from open files …", asking.book_from_files, ""),
                None,
                ("Write the chart …", asking.write_chart, "Ctrl+E"),
                ("Write the log …", asking.write_log, "Ctrl+Shift+E"),
                ("Write the log as Parquet …", asking.write_parquet, ""),
                ("Write runs, figures and readings …", asking.write_tables, "Ctrl+Alt+E"),
                ("Write the run sheet …", asking.write_sheet, "Ctrl+P"),
                ("Write the records …", asking.write_records, ""),
                None,
                ("Light or dark", window.switch_theme, "Ctrl+D"),
                ("Close", window.close, "Ctrl+Q"),
            ],
        ),
        (
            "&Edit",
            [
                ("Undo", window.undo, "Ctrl+Z"),
                ("Redo", window.redo, "Ctrl+Shift+Z"),
                None,
                ("Search the bench", window.search, "Ctrl+F"),
                ("Copy the finding", window.copy_finding, "Ctrl+Shift+C"),
                ("Copy this record as the next", benching.copy, "Ctrl+Shift+D"),
                ("Archive this record, or bring it back", benching.archive, "Ctrl+Shift+A"),
                None,
                ("Move the settled window", window.judge_view.move_window.toggle, "Ctrl+Shift+W"),
                ("Settled window as it is found", changes.find_window, ""),
                ("Accept the chosen difference …", lambda: window.compare_view.accept_chosen(), "Ctrl+Shift+F"),
                ("Close this cut run", changes.close_cut_run, ""),
                ("Make this run void …", asking.void_run, ""),
                ("Remove this run", changes.remove_run, ""),
            ],
        ),
        (
            "&Add",
            [
                ("This computer", changes.add_computer, ""),
                ("The simulated devices", changes.add_rig, ""),
                None,
                ("Record of the kind shown", benching.new, "Ctrl+Shift+N"),
                ("Setting", new_setting, ""),
                ("Settings of another device …", asking.copy_settings, ""),
                ("Ladder of limits …", asking.make_ladder, "Ctrl+L"),
                ("Plan …", asking.new_plan, "Ctrl+Alt+N"),
                None,
                ("Runs from logs …", asking.import_log, "Ctrl+I"),
                ("Runs from a folder of logs …", asking.import_folder, "Ctrl+Shift+I"),
                ("Watch a folder for logs, or end it …", asking.watch_folder, "Ctrl+Alt+F"),
                ("Logs that wait for an answer …", window.watching.ask, "Ctrl+Alt+W"),
                ("Scores from a table …", asking.import_scores, "Ctrl+Alt+I"),
                ("Scores from copied cells", asking.paste_scores, "Ctrl+Alt+V"),
                ("Records from a file …", asking.add_records, ""),
            ],
        ),
        (
            "&Plan",
            [
                ("Sessions …", asking.sessions, "Ctrl+T"),
                ("Move the sessions on to today", planning.move_on, ""),
                ("Draw another balanced order", planning.draw_again, ""),
                ("Copy this plan as the next", planning.copy, ""),
                ("Archive this plan", planning.archive, ""),
                None,
                ("The chosen run is done", partial(window.note_outcome, "done"), "Ctrl+Return"),
                ("… is void …", partial(window.note_outcome, "void"), ""),
                ("… is skipped …", partial(window.note_outcome, "skipped"), ""),
                ("Record the chosen or the next run", window.record_planned, "Ctrl+Shift+R"),
                ("Plan the limit most worth measuring", window.plan_next, "Ctrl+Shift+P"),
                (
                    "Plan the runs missing for the chosen verdict",
                    lambda: window.compare_view.plan_missing(),
                    "Ctrl+Alt+P",
                ),
            ],
        ),
        (
            "Pu&blish",
            [
                ("Send this page to the deck", publish.send, "Ctrl+K"),
                None,
                ("Write the report …", publish.write_report, "Ctrl+Alt+R"),
                ("Write the deck as pictures …", publish.write_deck, "Ctrl+Alt+D"),
                ("Write this card as a sequence …", publish.write_sequence, "Ctrl+Alt+Q"),
                ("Copy this card as a picture", publish.copy_picture, "Ctrl+Shift+X"),
                None,
                ("This card up", partial(publish.move, -1), "Alt+Shift+Up"),
                ("This card down", partial(publish.move, 1), "Alt+Shift+Down"),
                ("Remove this card", publish.remove, "Ctrl+Shift+Del"),
                ("Agree to the changed finding", publish.agree, "Ctrl+Alt+A"),
                ("Check before publishing", publish.check, "Ctrl+Alt+C"),
            ],
        ),
        (
            "&Go",
            [
                *((f"{name} page", partial(window.show_page, n), key) for n, (name, key) in enumerate(pages)),
                None,
                ("Start recording", window.run_view.ask_start, "Ctrl+R"),
                ("Mark with a text …", window.mark_with_text, "Ctrl+Shift+M"),
                ("Mark this moment", window.mark, "Ctrl+M"),
                ("Reading by hand …", window.beside.add_reading, "Ctrl+G"),
                ("Channels shown large …", window.beside.choose_channels, "Ctrl+Shift+V"),
                ("The work by hand is over", window.recording.finish, "Ctrl+Shift+."),
                ("Stop recording", window.recording.stop, "Ctrl+."),
                None,
                ("Next tab", partial(window.turn_tab, 1), "Ctrl+PgDown"),
                ("Previous tab", partial(window.turn_tab, -1), "Ctrl+PgUp"),
                ("Next run", lambda: session.step_run(1), "Alt+Down"),
                ("Previous run", lambda: session.step_run(-1), "Alt+Up"),
                ("Next event of the run", partial(window.judge_view.step_event, 1), "Ctrl+Right"),
                ("Previous event of the run", partial(window.judge_view.step_event, -1), "Ctrl+Left"),
                ("List of all runs", window.show_runs, "Ctrl+Shift+L"),
                ("Overlay the chosen runs", window.overlay_chosen, "Ctrl+Shift+O"),
                ("Methods", window.show_methods, "F1"),
                ("Fit the chart", window.fit, "Ctrl+0"),
                ("Quick sums", window.quick_sums, "F8"),
                ("Fold the margin", window.fold_margin, "F9"),
            ],
        ),
    ]
