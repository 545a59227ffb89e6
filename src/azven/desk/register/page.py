"""What the stage asks of a page of the register."""

from PyQt6.QtCore import pyqtSignal

from azven.book.edits import BookError
from azven.desk.actions import Action
from azven.desk.session import Session
from azven.desk.tabs import Page


class RegisterPage(Page):
    """A page with a primary action of its own."""

    primary_changed = pyqtSignal()
    title = ""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session

    def refresh(self) -> None:
        """Show the book as it is now. What cannot be read, as its server is away, is said; what was shown stays."""
        try:
            self.show_now()
        except BookError as error:
            self.session.say(str(error), trouble=True)

    def show_now(self) -> None:
        """Read the book and show it; BookError where it cannot be read."""

    def primary(self) -> tuple[str, bool]:
        """Title of the primary action and whether it is possible."""
        return "", False

    def run_primary(self) -> None:
        """Carry out the primary action."""

    def actions_offered(self) -> list[Action]:
        """Deeds for keys and palette."""
        return []

    def take_focus(self) -> None:
        """Give the keyboard to what it is most used for here."""
        self.setFocus()
