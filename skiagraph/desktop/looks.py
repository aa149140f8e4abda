"""How the whole project looks: house styles, versions, what is compared, and everything covered but those shown.

Menus, and what they do.
"""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QDialog, QFileDialog, QInputDialog, QMenu, QWidget

from skiagraph.desktop.document import Document
from skiagraph.desktop.house_sheet import HouseSheet
from skiagraph.desktop.session import Session, View
from skiagraph.desktop.words import tr
from skiagraph.errors import SkiagraphError
from skiagraph.project import housing
from skiagraph.project.decisions import ThingSubject
from skiagraph.project.house import (
    SUFFIX,
    HouseStyle,
    house_styles,
    keep_house_style,
    read_house_style,
    set_default_house_style,
    write_house_style,
)
from skiagraph.project.model import Project


class Looks(QObject):
    """said: a sentence; compared: what is looked at beside the result has changed."""

    said = Signal(str)
    compared = Signal()

    def __init__(self, document: Document, session: Session, parent: QWidget):
        super().__init__(parent)
        self._document, self._session, self._window = document, session, parent
        self._other: HouseStyle | str | None = None

    # What is compared

    @property
    def other_name(self) -> str:
        """How the other side of the split is called: empty for the source."""
        return "" if self._other is None else self._other if isinstance(self._other, str) else self._other.name

    def other_side(self, project: Project) -> Project | None:
        """The project as it looks on the other side of the split: in another version or house style, on the same
        outlines and paths; None for the source."""
        if self._other is None:
            return None
        try:
            return (
                housing.in_version(project, self._other)
                if isinstance(self._other, str)
                else housing.use_house_style(project, self._other)
            )
        except SkiagraphError:
            return None

    def compare(self, other: HouseStyle | str | None) -> None:
        """Look at another version, by its name, or a house style beside the result; None for the source."""
        self._other = other
        self._session.set_view(View.SPLIT)
        self.compared.emit()

    # Menus

    def fill(self, menu: QMenu) -> None:
        """The menu of looks, made anew whenever it opens."""
        menu.clear()
        project, clip = self._document.project, self._session.clip
        styles, names = house_styles(), housing.versions(project)
        inner = menu.addMenu(tr("House style"))
        for style in styles:
            action = inner.addAction(
                tr("{name}: {cover}", name=style.name, cover=style.style.state()),
                lambda s=style: self._document.edit("use house style", housing.use_house_style, s),
            )
            action.setCheckable(True)
            action.setChecked(project.decisions.house.name == style.name and project.style == style.style)
            action.setToolTip(style.house.note)
        inner.setToolTipsVisible(True)
        inner.addSeparator()
        inner.addAction(tr("House style from the present look …"), self.keep_house)
        inner.addAction(tr("Take one from a file …"), self.take_house)
        inner.addAction(tr("Write the present look to a file …"), self.write_house)
        first = inner.addMenu(tr("New projects begin with"))
        first.addAction(tr("The application's own cover"), lambda: self._begin_with(""))
        for style in styles:
            first.addAction(style.name, lambda s=style: self._begin_with(s.name))
        inner = menu.addMenu(tr("Version"))
        for name in names:
            action = inner.addAction(name, lambda n=name: self._document.edit("change version", housing.in_version, n))
            action.setCheckable(True)
            action.setChecked(name == project.decisions.version)
        inner.addSeparator()
        inner.addAction(tr("New version …"), self.new_version)
        rename = inner.addAction(tr("Rename this version …"), self.rename_version)
        remove = inner.addAction(
            tr("Remove this version"),
            lambda: self._document.edit(
                "remove version", housing.remove_version, self._document.project.decisions.version
            ),
        )
        rename.setEnabled(bool(names))
        remove.setEnabled(len(names) > 1)
        inner = menu.addMenu(tr("Compare the result with"))
        inner.addAction(tr("The source"), lambda: self.compare(None))
        for name in names:
            if name != project.decisions.version:
                inner.addAction(tr("Version {name}", name=name), lambda n=name: self.compare(n))
        inner.addSeparator()
        for style in styles:
            inner.addAction(style.name, lambda s=style: self.compare(s))
        menu.addSeparator()
        rest = menu.addAction(tr("Cover everything in this clip but those shown"), self.turn_rest)
        rest.setCheckable(True)
        rest.setEnabled(clip is not None)
        rest.setChecked(clip is not None and project.rest_of(clip.key) is not None)

    def state(self) -> str:
        """The house style and version in a few words; empty where there are none."""
        decisions = self._document.project.decisions
        return " · ".join(
            filter(None, (decisions.house.name, decisions.version if decisions.version != decisions.house.name else ""))
        )

    # What they do

    def turn_rest(self) -> None:
        """Cover everything in the clip but those who are shown, or no longer."""
        clip, project = self._session.clip, self._document.project
        if clip is None:
            return
        if project.rest_of(clip.key) is None:
            self._document.edit("cover everything but those shown", housing.cover_rest, clip.key)
        else:
            self._document.edit("cover only those who are to be", housing.uncover_rest, clip.key)

    def keep_house(self) -> None:
        """The sheet of a house style: what is kept counts for the project too."""
        project, subject = self._document.project, self._session.subject
        here = project.style_of(subject) if subject is not None and isinstance(subject.of, ThingSubject) else None
        sheet = HouseSheet(housing.house_style_of(project, project.decisions.house.name), here, self._window)
        if sheet.exec() == QDialog.DialogCode.Accepted:
            self._keep(sheet.style)

    def _keep(self, style: HouseStyle) -> None:
        self._tried(
            lambda: self.said.emit(
                tr("Kept as the house style {name}, in {place}.", name=style.name, place=keep_house_style(style))
            )
        )
        self._document.edit("use house style", housing.use_house_style, style)

    def take_house(self) -> None:
        file, _ = QFileDialog.getOpenFileName(
            self._window,
            tr("A house style"),
            str(Path.home()),
            tr("House styles (*{suffix});;All files (*)", suffix=SUFFIX),
        )
        if file:
            self._tried(lambda: self._take(Path(file)))

    def _take(self, file: Path) -> None:
        style = read_house_style(file)
        keep_house_style(style)
        self._document.edit("use house style", housing.use_house_style, style)
        self.said.emit(tr("{name} is kept among the house styles, and everybody is covered so.", name=style.name))

    def write_house(self) -> None:
        name = self._document.project.decisions.house.name or "house"
        file, _ = QFileDialog.getSaveFileName(
            self._window,
            tr("Write the house style"),
            str(Path.home() / (name.replace("/", "-") + SUFFIX)),
            tr("House styles (*{suffix})", suffix=SUFFIX),
        )
        if file:
            style = housing.house_style_of(
                self._document.project,
                self._document.project.decisions.house.name or Path(file).name.removesuffix(SUFFIX),
            )
            self._tried(lambda: (write_house_style(style, file), self.said.emit(tr("Wrote {file}.", file=file))))

    def new_version(self) -> None:
        name, chosen = QInputDialog.getText(
            self._window, tr("New version"), tr("Its name, such as the house it is for:")
        )
        if chosen:
            self._document.edit("new version", housing.add_version, name)

    def rename_version(self) -> None:
        name, chosen = QInputDialog.getText(
            self._window, tr("Version"), tr("Its name:"), text=self._document.project.decisions.version
        )
        if chosen:
            self._document.edit("rename version", housing.rename_version, name)

    def _begin_with(self, name: str) -> None:
        said = (
            tr("New projects begin with {name}.", name=name)
            if name
            else tr("New projects begin with the application's own cover.")
        )
        self._tried(lambda: (set_default_house_style(name), self.said.emit(said)))

    def _tried(self, function) -> None:
        try:
            function()
        except SkiagraphError as error:
            self.said.emit(str(error))
