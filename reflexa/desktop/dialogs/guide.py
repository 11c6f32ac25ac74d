"""The guide: short pages by task, with their pictures, read from the disk."""

from __future__ import annotations

import re
from pathlib import Path

from PySide6.QtCore import QUrl
from PySide6.QtGui import QImage, QTextDocument
from PySide6.QtWidgets import QDialog, QHBoxLayout, QListWidget, QListWidgetItem, QTextBrowser, QVBoxLayout, QWidget

import reflexa
from reflexa.desktop.widgets import labels
from reflexa.desktop.widgets.qt_properties import styled
from reflexa.desktop.widgets.search import search_field

_PAGE = 0x0100


def folder() -> Path | None:
    """The folder of the guide's pages, which are part of the package; None where they are missing."""
    at = Path(reflexa.__file__).parent / "pages" / "guide"
    return at if at.is_dir() else None


def pages(at: Path) -> list[tuple[str, Path]]:
    """Titles and files of the pages, in the order of the index."""
    index = (at.parent / "guide.md").read_text(encoding="utf-8")
    return [(title, at / name) for title, name in re.findall(r"\[([^\]]+)\]\(guide/([^)#]+\.md)\)", index)]


class _Page(QTextBrowser):
    """Pictures are as wide as there is room for."""

    def loadResource(self, kind: int, name: QUrl | str) -> object:
        if kind == QTextDocument.ResourceType.ImageResource.value:
            image = QImage(self.source().resolved(QUrl(name)).toLocalFile())
            room = max(self.viewport().width() - 40, 200)
            return image.scaledToWidth(room) if image.width() > room else image
        return super().loadResource(kind, name)


class Guide(QDialog):
    """It stays beside the window."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Guide")
        self.resize(980, 680)
        row, left = QHBoxLayout(self), QVBoxLayout()
        self.search = search_field("Search the guide")
        self.search.textChanged.connect(self._find)
        left.addWidget(self.search)
        self.list = styled(QListWidget(), accessibleName="Pages of the guide")
        self.list.setFixedWidth(230)
        self.list.currentItemChanged.connect(self._show)
        left.addWidget(self.list)
        row.addLayout(left)
        self.page = styled(_Page(), accessibleName="Page of the guide", openExternalLinks=False)
        row.addWidget(self.page, 1)
        at = folder()
        if at is None:
            row.addWidget(labels.text("The guide is not installed. It is part of the sources, in docs/guide."))
            return
        for title, path in pages(at):
            item = QListWidgetItem(title)
            item.setData(_PAGE, str(path))
            self.list.addItem(item)
        self.list.setCurrentRow(0)

    def _show(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.page.setSource(QUrl.fromLocalFile(item.data(_PAGE)), QTextDocument.ResourceType.MarkdownResource)

    def _find(self, text: str) -> None:
        """Only pages that have all the words."""
        words = text.lower().split()
        for i in range(self.list.count()):
            item = self.list.item(i)
            said = Path(item.data(_PAGE)).read_text(encoding="utf-8").lower()
            item.setHidden(not all(w in said for w in words))
