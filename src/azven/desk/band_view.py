"""The band in view: one for all screens, with the part of it that they show."""

from collections.abc import Callable

from PyQt6.QtCore import QObject, pyqtSignal

from azven.book.records import Link, Model
from azven.book.store import Store
from azven.rf.bands import UHF, Band
from azven.work import kit, listen
from azven.work.kit import bands as kit_bands
from azven.work.kit.bands import InUse
from azven.work.scope import Scope

WHOLE_HZ = (470_000_000.0, 694_000_000.0)
_NARROWEST_HZ = 200_000.0
_AIR = 0.004


class BandView(QObject):
    """`hz` is what is shown of the band: its edges [Hz]. `where` tells the book and where in it we are."""

    changed = pyqtSignal()

    def __init__(self, where: Callable[[], tuple[Store, Scope]], parent: QObject) -> None:
        super().__init__(parent)
        self._where = where
        self._bands: tuple[InUse, ...] | None = None
        self._whole: tuple[float, float] | None = None
        self._name = ""
        self.begin()

    def begin(self) -> None:
        """Where we are now another band may be the one with most links; all of it comes into view."""
        self._bands = self._whole = None
        self._name = ""
        self._name = self.band.name
        self.hz = self.whole()

    def look_again(self) -> None:
        """The book has changed: its bands may have, and the one in view may be gone."""
        self._bands = self._whole = None
        if self.band.name != self._name:
            self.choose(self.band.name)

    @property
    def bands(self) -> tuple[InUse, ...]:
        """The bands in which there is something, ascending."""
        if self._bands is None:
            self._bands = kit_bands.in_use(*self._where())
        return self._bands

    @property
    def band(self) -> Band:
        """The band in view: the one that was asked for, else the one with most links."""
        found = next((b for b in self.bands if b.band.name == self._name), None)
        return (found or max(self.bands, key=lambda b: b.links)).band if self.bands else UHF

    def choose(self, name: str) -> None:
        """Look at the whole of another band."""
        self._name, self._whole = name, None
        self.hz = self.whole()
        self.changed.emit()

    def choose_next(self) -> None:
        """Look at the band after the one in view, after the last at the first."""
        names = [b.band.name for b in self.bands]
        self.choose(names[(names.index(self.band.name) + 1) % len(names)])

    def holds(self, link: Link) -> bool:
        """Whether a link works in the band in view."""
        return len(self.bands) < 2 or kit_bands.of_link(self._where()[0], link) is self.band

    def bring_in(self, link: Link) -> None:
        """Look at the band of a link where another one is in view."""
        if not self.holds(link):
            self.choose(kit_bands.of_link(self._where()[0], link).name)

    def whole(self) -> tuple[float, float]:
        """The band we work in [Hz]: from the lowest to the highest thing we know of it, with a little air."""
        if self._whole is not None:
            return self._whole
        band = self.band
        if band.shared:
            low, high = kit_bands.SHARED_VIEW_HZ[band.name]
            self._whole = (low, high)
            return self._whole
        swept = [(max(r.low_hz, band.low_hz), min(r.high_hz, band.high_hz)) for r in listen.sweeps(*self._where())]
        edges = [e for low, high in swept if low < high for e in (low, high)]
        low, high = (min([*edges, *self.tuning_span()]), max([*edges, *self.tuning_span()]))
        air = _AIR * (high - low)
        self._whole = (low - air, high + air)
        return self._whole

    def tuning_span(self) -> tuple[float, float]:
        """From the lowest to the highest frequency any link of the band can be tuned to [Hz]."""
        store, scope = self._where()
        models = {m.id: m for m in store.all(Model)}
        links = [x for x in kit.links(store, scope) if self.holds(x)]
        edges = [e for x in links for b in models[x.model_id].bands if b[0] == x.band for e in b[1:]]
        return (min(edges), max(edges)) if edges else WHOLE_HZ

    def sweep_span(self) -> tuple[float, float]:
        """What is worth sweeping of the band in view [Hz]: all of a shared one, since everybody in it counts."""
        band = self.band
        return kit_bands.SHARED_VIEW_HZ[band.name] if band.shared else self.tuning_span()

    def show(self, low_hz: float, high_hz: float) -> None:
        """Zoom to a part of the band [Hz], kept inside what there is."""
        lowest, highest = self.whole()
        width = min(max(high_hz - low_hz, _NARROWEST_HZ), highest - lowest)
        middle = (low_hz + high_hz) / 2
        low = min(max(middle - width / 2, lowest), highest - width)
        self.hz = (low, low + width)
        self.changed.emit()

    def zoom(self, factor: float, around_hz: float) -> None:
        low, high = self.hz
        self.show(around_hz - (around_hz - low) * factor, around_hz + (high - around_hz) * factor)

    def pan(self, by_hz: float) -> None:
        low, high = self.hz
        self.show(low + by_hz, high + by_hz)
