"""What all tests share: the reference data, the demo's files, and windows that are closed again."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

STRD = Path(__file__).parent / "reference" / "strd"


@pytest.fixture(scope="session")
def demo_files(tmp_path_factory: pytest.TempPathFactory) -> list[Path]:
    """The five made-up spectra, in order of loading."""
    from curvesieve.demo.raman import write_family

    return write_family(tmp_path_factory.mktemp("raman"))


@pytest.fixture(autouse=True)
def patience(monkeypatch: pytest.MonkeyPatch) -> None:
    """The core's tests run at the same time, and machines differ: what is waited for is given half a minute."""
    from pytestqt.qtbot import QtBot

    wait = QtBot.waitUntil

    def patient(bot: QtBot, callback: Callable[[], object], *, timeout: int = 5_000) -> None:
        wait(bot, callback, timeout=max(timeout, 30_000))  # type: ignore[arg-type]

    monkeypatch.setattr(QtBot, "waitUntil", patient)


@pytest.fixture
def window(qtbot, tmp_path, monkeypatch) -> Iterator[Callable]:  # type: ignore[no-untyped-def]
    """Makes a shown window on a study (or none). Left-over work and unsaved changes are dropped at the end."""
    from curvesieve.app.session.session import Session
    from curvesieve.app.shell.defects import DefectKeeper
    from curvesieve.app.shell.main import make_application
    from curvesieve.app.shell.window import Window

    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "data"))
    make_application()
    made: list[Window] = []
    expected: set[str] = set()

    def let_go(w: Window) -> None:
        w.session._saved = w.session.study
        w.tray.files = ()
        w.session.jobs.close()

    def make(study=None, path=None, size=(1280, 800)) -> Window:  # type: ignore[no-untyped-def]
        session = Session()
        if study is not None:
            session.begin(study, path)
        shown = Window(session, tmp_path)
        if size is not None:
            shown.resize(*size)
        shown.keeper = DefectKeeper(session, shown.recovery.keep)
        qtbot.addWidget(shown, before_close_func=let_go)
        with qtbot.waitActive(shown):
            shown.show()
            shown.activateWindow()
        made.append(shown)
        return shown

    make.expected = expected  # type: ignore[attr-defined]  # the defects that a test makes on purpose
    yield make
    for shown in made:
        assert shown.keeper.seen.keys() <= expected, "a defect was caught while the test ran"
