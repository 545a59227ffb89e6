"""Two themes of named colour roles, the shipped type, and the one stylesheet made from them."""

from dataclasses import asdict, dataclass
from functools import cache, cached_property
from importlib.resources import files
from string import Template

from PyQt6.QtGui import QColor, QFont, QFontDatabase

FAMILY = "B612"
BODY_PX, SMALL_PX, FIGURE_PX, TITLE_PX = 13, 11, 16, 15


@dataclass(frozen=True, kw_only=True)
class Theme:
    """Colours by role. The `*_text` roles keep a contrast of 4.5:1 on `ground` and `side`."""

    name: str
    ground: str
    side: str
    field: str
    line: str
    ink: str
    dim: str
    chosen: str
    accent: str
    on_accent: str
    petrol: str
    ochre: str
    plum: str
    slate: str
    brick: str
    ochre_text: str
    brick_text: str
    silhouette: str
    lane: str
    shut: str

    def color(self, role: str, alpha: int = 255) -> QColor:
        """The colour of a role, not to be changed; AttributeError for a role that does not exist."""
        if (role, alpha) not in self._made:
            color = QColor(getattr(self, role))
            color.setAlpha(alpha)
            self._made[role, alpha] = color
        return self._made[role, alpha]

    @cached_property
    def _made(self) -> dict[tuple[str, int], QColor]:
        return {}


DAYLIGHT = Theme(
    name="daylight", ground="#F5F1E8", side="#EEEADF", field="#FFFDF7", line="#D3CBB8", ink="#1D2A2E", dim="#5A625E",
    chosen="#EBDDC3", accent="#0F6B70", on_accent="#FBF8F0", petrol="#0F6B70", ochre="#B9771B", plum="#7A3E6B",
    slate="#4C6178", brick="#A63D2F", ochre_text="#855109", brick_text="#983225", silhouette="#C0BFB8",
    lane="#FDFBF5", shut="#E6E0D1",
)  # fmt: skip
BACKSTAGE = Theme(
    name="backstage", ground="#191613", side="#211D19", field="#14110F", line="#3A342D", ink="#E4DACA", dim="#A2978A",
    chosen="#3A2A1B", accent="#5FB5B0", on_accent="#131110", petrol="#5FB5B0", ochre="#D9A14A", plum="#C08AB2",
    slate="#93A7BC", brick="#D77B6A", ochre_text="#D9A14A", brick_text="#E08D7D", silhouette="#45423E",
    lane="#40392F", shut="#12100E",
)  # fmt: skip
THEMES = {t.name: t for t in (DAYLIGHT, BACKSTAGE)}


def load_fonts() -> None:
    """Register the shipped type; QFontDatabase keeps it for the life of the application."""
    folder = files("azven") / "data" / "fonts"
    for style in ("Regular", "Bold"):
        QFontDatabase.addApplicationFontFromData((folder / f"{FAMILY}-{style}.otf").read_bytes())


def font(px: int = BODY_PX, bold: bool = False) -> QFont:
    """The shipped type at a pixel size, with the same pixels on every machine."""
    made = QFont(FAMILY)
    made.setPixelSize(px)
    made.setBold(bold)
    made.setHintingPreference(QFont.HintingPreference.PreferNoHinting)
    return made


@cache
def sheet(theme: Theme) -> str:
    """The style sheet of the parts of a window. The application itself has none: Qt then dresses every widget again
    for each that is above it."""
    template = (files("azven") / "data" / "styles" / "desk.qss").read_text("utf-8")
    icons = str(files("azven") / "data" / "icons")
    sizes = {"icons": icons, "family": FAMILY, "body": BODY_PX, "small": SMALL_PX, "title": TITLE_PX}
    return Template(template).substitute(asdict(theme), **sizes)
