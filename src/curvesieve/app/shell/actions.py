"""The actions of the window itself: studies, files, undo, ways between benches, colours."""

from __future__ import annotations

from collections.abc import Callable

from curvesieve.app.session.desk import Desk
from curvesieve.app.shell.study_files import StudyFiles
from curvesieve.app.widgets.actions import ActionRow

Do = Callable[[], object]


def study_rows(files: StudyFiles, session: Desk, open_menu: Do, bring_in: Do, paste: Do) -> list[ActionRow]:
    """What is done with studies and files."""
    return [
        ActionRow("Open a study…", "Ctrl+O", files.ask_open),
        ActionRow("Save the study", "Ctrl+S", files.save),
        ActionRow("Save the study as…", "Ctrl+Shift+S", files.ask_save_as),
        ActionRow("The study's menu: recent studies, recover…", "F10", open_menu),
        ActionRow("Begin a new study", "Ctrl+N", files.new),
        ActionRow("Look at the demo", "", files.open_demo, words="example sample tour help"),
        ActionRow("Bring in files…", "Ctrl+I", bring_in),
        ActionRow("Paste a table", "Ctrl+V", paste),
        ActionRow("Undo", "Ctrl+Z", session.undo, lambda: bool(session.undo_label)),
        ActionRow("Redo", "Ctrl+Shift+Z", session.redo, lambda: bool(session.redo_label)),
    ]


def window_rows(
    benches: tuple[str, ...], go_to: Callable[[str], None], use_scheme: Callable[[str], None], close: Do
) -> list[ActionRow]:
    """Ways between benches, colours, the end."""
    ways = [
        ActionRow(f"Go to the {name} bench", f"Ctrl+{i + 1}", lambda name=name: go_to(name))  # type: ignore[misc]
        for i, name in enumerate(benches)
    ]
    return [
        *ways,
        ActionRow("Light colours", "", lambda: use_scheme("light")),
        ActionRow("Dark colours", "", lambda: use_scheme("dark")),
        ActionRow("Colours of the system", "", lambda: use_scheme("")),
        ActionRow("Close the window", "Ctrl+Q", close),
    ]
