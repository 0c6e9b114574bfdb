"""The files of a package, as a table that the panel of Ship fills."""

from PyQt6.QtWidgets import QWidget

from even_palette.app.page import Page
from even_palette.app.session import Session


class FilesPage(Page):
    """Holds the table."""

    def __init__(self, session: Session, files: QWidget) -> None:
        super().__init__(session)
        self.addWidget(files)
