"""The shelf: families and their curves, each with colour, label, a tiny drawing, and its state."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QItemSelectionModel, QModelIndex, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent, QKeyEvent
from PyQt6.QtWidgets import QAbstractItemView, QInputDialog, QListView, QVBoxLayout, QWidget

from curvesieve.app.panels.shelf.delegate import ShelfDelegate
from curvesieve.app.panels.shelf.family_menu import FamilyMenu
from curvesieve.app.panels.shelf.rows import CURVES_TYPE, ROW, ShelfModel
from curvesieve.app.session import recipes
from curvesieve.app.session.desk import View
from curvesieve.app.session.many_fits import fit_many
from curvesieve.app.session.session import Session
from curvesieve.app.widgets.actions import ActionRow
from curvesieve.app.widgets.basics import button
from curvesieve.app.widgets.line import Line
from curvesieve.app.widgets.menu import MenuRow, menu_of
from curvesieve.core.errors import counted
from curvesieve.core.study import CurveEntry, edits

_FOLD_KEYS = (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter)


class _List(QListView):
    removal_asked = pyqtSignal()
    fold_asked = pyqtSignal(QModelIndex)
    renaming_asked = pyqtSignal(QModelIndex)
    files_dropped = pyqtSignal(object)
    files_for_family = pyqtSignal(str, object)
    """Files dropped on the heading of a family: its id, and the paths."""

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and (data.hasUrls() or data.hasFormat(CURVES_TYPE)):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent | None) -> None:
        if event is not None:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Curves go to the family under the pointer (below all: the last); files are the window's."""
        data, model = event.mimeData() if event is not None else None, self.model()
        if event is None or data is None or model is None:
            return
        under = self.indexAt(event.position().toPoint())
        if data.hasUrls():
            row = under.data(ROW) if under.isValid() else None
            paths = [Path(url.toLocalFile()) for url in data.urls() if url.isLocalFile()]
            if row is not None and row.curve is None and row.family and paths:
                event.acceptProposedAction()
                self.files_for_family.emit(row.family, paths)
            else:
                self.files_dropped.emit(event)
            return
        row = model.rowCount() if not under.isValid() else -1
        model.dropMimeData(data, Qt.DropAction.MoveAction, row, 0, under)
        event.setDropAction(Qt.DropAction.CopyAction)  # nothing is to be taken from where it was: the study says where
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        key = event.key() if event is not None else 0
        if key == Qt.Key.Key_Delete:
            self.removal_asked.emit()
        elif key == Qt.Key.Key_F2:
            self.renaming_asked.emit(self.currentIndex())
        elif key in _FOLD_KEYS:
            self.fold_asked.emit(self.currentIndex())
        else:
            super().keyPressEvent(event)


class Shelf(QWidget):
    """The filter, the list, and the place to drop files."""

    files_asked = pyqtSignal()
    looked_at_curve = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.menu_rows: list[MenuRow] = []
        self._drawn_in_hand: int | None = None
        self.filter = Line()
        self.filter.setPlaceholderText("Filter the shelf")
        self.filter.setClearButtonEnabled(True)
        self.filter.textChanged.connect(self._filter_changed)
        self.model = ShelfModel(session)
        self.model.moved.connect(self.move_into)
        self.list = _List()
        self.list.setObjectName("shelf")
        self.list.setAccessibleName("families and curves")
        self.list.setModel(self.model)
        self.delegate = ShelfDelegate(session)
        self.list.setItemDelegate(self.delegate)
        self.list.setUniformItemSizes(True)
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.list.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.list.setMouseTracking(True)
        self.list.setDragEnabled(True)
        self.list.setAcceptDrops(True)
        self.list.setDropIndicatorShown(True)
        self.list.setDragDropMode(QAbstractItemView.DragDropMode.DragDrop)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.list.customContextMenuRequested.connect(self._open_menu)
        self.list.clicked.connect(self._clicked)
        self.list.fold_asked.connect(self._fold)
        self.list.files_for_family.connect(lambda family, paths: recipes.bring_into(session, family, paths))
        self.list.removal_asked.connect(self.remove_chosen)
        self.list.renaming_asked.connect(self._rename)
        self.drop = button("Drop files here\nor paste a table", "drop", "Click to choose files (Ctrl+I)")
        self.drop.setMinimumHeight(60)
        self.drop.clicked.connect(self.files_asked)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        layout.addWidget(self.filter)
        layout.addWidget(self.list, 1)
        layout.addWidget(self.drop)
        session.changed.connect(lambda old, new: self.refresh())
        session.view_changed.connect(lambda old, new: self.refresh())
        session.marks_changed.connect(self.refresh)
        session.readings.read.connect(self._repaint)
        selection = self.list.selectionModel()
        assert selection is not None
        selection.currentChanged.connect(lambda index, old: self._look(index))

    def _repaint(self) -> None:
        """Curves of a ledger can be drawn when more is known of it."""
        viewport = self.list.viewport()
        if viewport is not None:
            viewport.update()

    def refresh(self) -> None:
        bar = self.list.verticalScrollBar()
        scrolled = bar.value() if bar is not None else 0
        chosen = set(self.chosen())
        remade, changed = self.model.refresh()
        place = self.model.place(self.session.view.curve)
        selection = self.list.selectionModel()
        assert selection is not None
        moved = place is not None and self.list.currentIndex().row() != place
        if remade or moved:
            selection.blockSignals(True)
            if remade and len(chosen) > 1:  # what was chosen stays so, where it still is
                for i, row in enumerate(self.model.rows):
                    if row.curve is not None and row.curve.id in chosen:
                        selection.select(self.model.index(i), QItemSelectionModel.SelectionFlag.Select)
            if place is not None:
                kind = QItemSelectionModel.SelectionFlag
                flag = kind.Current if remade and len(chosen) > 1 else kind.ClearAndSelect | kind.Current
                selection.setCurrentIndex(self.model.index(place), flag)
            selection.blockSignals(False)
        if remade and bar is not None:
            bar.setValue(scrolled)
        if moved and place is not None:
            self.list.scrollTo(self.model.index(place))
        viewport = self.list.viewport()
        if moved and len(chosen) > 1 and viewport is not None:
            viewport.update()  # rows that are chosen no longer
        for at in {place, self._drawn_in_hand, *changed} - {None}:
            if at is not None:
                self.list.update(self.model.index(at))
        self._drawn_in_hand = place

    def restyle(self) -> None:
        """Takes on the colours of another scheme."""
        self.model.forget_colours()
        self.refresh()
        viewport = self.list.viewport()
        if viewport is not None:
            viewport.update()

    def chosen(self) -> list[str]:
        """The ids of the curves that are chosen, from the top; the one in hand when there are no others."""
        selection = self.list.selectionModel()
        rows = sorted(index.row() for index in selection.selectedIndexes()) if selection is not None else []
        ids = [row.curve.id for place in rows if (row := self.model.rows[place]).curve is not None]
        entry = self.session.entry
        return ids or ([entry.id] if entry is not None else [])

    def _filter_changed(self, text: str) -> None:
        self.model.wanted = text.strip()
        self.refresh()

    def _clicked(self, index: QModelIndex) -> None:
        if self.model.rows[index.row()].curve is None:
            self._fold(index)
        else:
            self._look(index)

    def _look(self, index: QModelIndex) -> None:
        row = self.model.rows[index.row()] if index.isValid() else None
        if row is not None and row.curve is not None:
            if row.curve.id != self.session.view.curve:
                self.session.look(View(row.curve.id))
            self.looked_at_curve.emit()

    def _fold(self, index: QModelIndex) -> None:
        """Folds the family of a row, or opens it."""
        if index.isValid():
            family = self.model.rows[index.row()].family
            self.model.folded = self.model.folded ^ {family}
            self.refresh()
            place = self.model.place(f"family {family}")
            selection = self.list.selectionModel()
            if place is not None and selection is not None:
                kind = QItemSelectionModel.SelectionFlag
                selection.setCurrentIndex(self.model.index(place), kind.Current | kind.ClearAndSelect)

    # -- menus --------------------------------------------------------------------------------------

    def _open_menu(self, place: QPoint) -> None:
        index, viewport = self.list.indexAt(place), self.list.viewport()
        if not index.isValid() or viewport is None:
            return
        row = self.model.rows[index.row()]
        if row.curve is None:
            rows: list[MenuRow] = [("Open the family" if row.folded else "Fold the family", lambda: self._fold(index))]
            if row.family:
                rows += FamilyMenu(self.session, self).rows(row.family)
        else:
            if row.curve.id not in self.chosen():
                self._look(index)
            rows = self._rows_of(self.chosen())
        menu_of(self, rows).popup(viewport.mapToGlobal(place))

    def _rows_of(self, chosen: list[str]) -> list[MenuRow]:
        several, entry = len(chosen) > 1, self.session.entry
        words = f"{len(chosen)} curves" if several else "from the study"
        own: list[MenuRow] = []
        if several:
            own += [
                (f"Fit the {len(chosen)} chosen curves", self.fit_chosen),
                (f"Give the others the sieve of {entry.label}" if entry else "", self.copy_sieve_to_chosen),
                (f"Give the others the recipe of {entry.label}" if entry else "", self.give_recipe_to_chosen),
                ("Make a family of them…", self.ask_family),
            ]
        else:
            own.append(("Rename…", self.rename_in_hand))
        if any(self.session.study.family_of(id_) for id_ in chosen):
            own.append(("Take out of the family", lambda: self.move_into(chosen, "")))
        own.append((f"Remove {words}", self.remove_chosen))
        return own if several else [*self.menu_rows, *own]

    def _rename(self, index: QModelIndex) -> None:
        row = self.model.rows[index.row()] if index.isValid() else None
        if row is not None and row.curve is None and row.family:
            FamilyMenu(self.session, self).rename(row.family)
        elif row is not None and row.curve is not None:
            self.rename_in_hand()

    def action_rows(self) -> list[ActionRow]:
        """What can be done to the curve in hand as a whole."""

        def has_curve() -> bool:
            return self.session.entry is not None

        return [
            ActionRow("Rename the curve… (F2 on the shelf)", "", self.rename_in_hand, has_curve, bench="Curve"),
            ActionRow("Remove the curve from the study", "", self.remove_in_hand, has_curve, bench="Curve"),
        ]

    def rename_in_hand(self) -> None:
        entry = self.session.entry
        if entry is None:
            return
        text, ok = QInputDialog.getText(self, "Rename the curve", "Name", text=entry.label)
        if ok and text != entry.label:
            self.session.apply(lambda study: edits.rename_curve(entry.id, text)(study), f"rename {entry.label}")

    # -- what is done to the chosen curves ----------------------------------------------------------

    def remove_chosen(self) -> None:
        gone = [self.session.study.entry(id_) for id_ in self.chosen()]
        if gone:
            self._remove(gone)

    def remove_in_hand(self) -> None:
        entry = self.session.entry
        if entry is not None:
            self._remove([entry])

    def _remove(self, gone: list[CurveEntry]) -> None:
        what = gone[0].label if len(gone) == 1 else counted(len(gone), "curve")
        if self.session.apply(edits.remove_curves([entry.id for entry in gone]), f"remove {what}"):
            self.session.noticed.emit(f"Removed {what}. Ctrl+Z brings back what was removed.", "word")

    def move_into(self, ids: list[str], family_id: str) -> None:
        """Puts curves into a family, or out of all."""
        study = self.session.study
        family = next((f for f in study.document.families if f.id == family_id), None)
        into = family.label if family is not None else "the single curves"
        what = study.entry(ids[0]).label if len(ids) == 1 else counted(len(ids), "curve")
        before = {id_: study.entry(id_).condition for id_ in ids}
        if not self.session.apply(edits.move_curves(ids, family_id), f"move {what}") or self.session.study is study:
            return
        lost = [id_ for id_, value in before.items() if self.session.study.entry(id_).condition != value]
        word = " Their conditions were of another kind and were left behind." if lost else ""
        self.session.noticed.emit(f"Moved {what} to {into}.{word}", "word")

    def ask_family(self) -> None:
        chosen = self.chosen()
        text, ok = QInputDialog.getText(self, "Make a family", f"Name of the family of {len(chosen)} curves")
        if ok:
            self.session.apply(lambda study: edits.new_family(chosen, text)(study), "make a family")

    def copy_sieve_to_chosen(self) -> None:
        entry = self.session.entry
        targets = [id_ for id_ in self.chosen() if entry is not None and id_ != entry.id]
        if (
            entry is not None
            and targets
            and self.session.apply(edits.copy_sieve(entry.id, targets), f"copy the sieve of {entry.label}")
        ):
            self.session.noticed.emit(f"Copied the sieve to {counted(len(targets), 'curve')}.", "word")

    def give_recipe_to_chosen(self) -> None:
        """The recipe of the curve in hand for the other chosen ones, as their own; they are fitted by it."""
        recipe, entry = recipes.recipe_in_hand(self.session), self.session.entry
        if recipe is not None and entry is not None:
            targets = [id_ for id_ in self.chosen() if id_ != entry.id]
            recipes.apply_recipe(self.session, targets, recipe, f"the recipe of {entry.label}")

    def fit_chosen(self) -> None:
        fit_many(self.session, self.chosen())
