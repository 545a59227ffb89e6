"""The blocks of an antenna system: gain, noise, intercept and compression of each.

Gains are signed, losses positive decibels; intercepts and compression are held input-referred. A figure given at the
output is brought to the input: IIP3 = OIP3 − gain, P1dB in = P1dB out − gain + 1.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

from azven.rf.imlevels import COMPRESSION_TO_INTERCEPT_DB

COAX: Mapping[str, tuple[float, float]] = {
    "rg58-5mm": (1.6, 0.0066),
    "lowloss-6mm": (0.794, 0.00108),
    "rg213-10mm": (0.62, 0.0035),
    "lowloss-10mm": (0.401, 0.00085),
    "lowloss-15mm": (0.248, 0.00085),
}
"""Planning values k1, k2 of α(f) = k1·√f + k2·f, f in MHz, dB per 100 m."""
COAX_WORDS: Mapping[str, str] = {
    "rg58-5mm": "5 mm, RG-58 class", "lowloss-6mm": "6 mm, low loss", "rg213-10mm": "10 mm, RG-213 class",
    "lowloss-10mm": "10 mm, low loss", "lowloss-15mm": "15 mm, low loss",
}  # fmt: skip
CONNECTOR_DB = 0.1
ACTIVE = ("amp", "split", "combiner", "receiver")


@dataclass(frozen=True)
class Stop:
    """A closed range [Hz] in which a filter loses `loss_db` in all."""

    low_hz: int
    high_hz: int
    loss_db: float


@dataclass(frozen=True, kw_only=True)
class Block:
    """One block. `kind` is the node type of `azven-chain`; figures that do not apply to it keep their defaults."""

    id: str
    kind: str
    gain_db: float | None = 0.0
    loss_db: float = 0.0
    nf_db: float | None = None
    iip3_dbm: float | None = None
    oip3_dbm: float | None = None
    p1db_in_dbm: float | None = None
    p1db_out_dbm: float | None = None
    cable: str = ""
    k1: float = 0.0
    k2: float = 0.0
    length_m: float = 0.0
    connectors: int = 2
    stop: tuple[Stop, ...] = ()
    ports: int = 1
    outputs: int = 1
    excess_db: float = 0.0
    steps_db: tuple[float, ...] = ()

    @property
    def left_out(self) -> bool:
        """An amplifier whose gain is None is not there."""
        return self.kind == "amp" and self.gain_db is None

    def gain_at(self, freq_hz: float) -> float:
        """Gain [dB] at a frequency; amplifiers are flat."""
        if self.kind == "cable":
            return -coax_db(freq_hz, self.length_m, self.cable, self.k1, self.k2, self.connectors)
        if self.kind == "filter":
            stop = next((s.loss_db for s in self.stop if s.low_hz <= freq_hz <= s.high_hz), None)
            return -(self.loss_db if stop is None else stop)
        if self.kind == "hybrid":
            return -(10 * math.log10(self.ports) + self.excess_db)
        if self.kind in ("amp", "split", "combiner"):
            return self.gain_db or 0.0
        return -self.loss_db

    @property
    def noise_factor(self) -> float | None:
        """F of an active block, linear; None for what is passive or left out."""
        return 10 ** (self.nf_db / 10) if self.nf_db is not None and not self.left_out else None

    @property
    def intercept_dbm(self) -> float | None:
        """IIP3 [dBm]; from compression + 9.6 dB where only that is known, None for what is passive."""
        if self.left_out:
            return None
        if self.iip3_dbm is not None:
            return self.iip3_dbm
        if self.oip3_dbm is not None:
            return self.oip3_dbm - (self.gain_db or 0.0)
        point = self.compression_dbm
        return None if point is None else point + COMPRESSION_TO_INTERCEPT_DB

    @property
    def compression_dbm(self) -> float | None:
        """P1dB at the input [dBm], None for what does not compress."""
        if self.left_out:
            return None
        if self.p1db_in_dbm is not None:
            return self.p1db_in_dbm
        return None if self.p1db_out_dbm is None else self.p1db_out_dbm - (self.gain_db or 0.0) + 1

    def with_gain(self, gain_db: float | None) -> "Block":
        """The block set to another gain; figures given at the output stay there."""
        return replace(self, gain_db=gain_db)


def coax_db(
    freq_hz: float, length_m: float, cable: str = "", k1: float = 0.0, k2: float = 0.0, connectors: int = 2
) -> float:
    """Loss [dB] of a length of coax with its connectors at 0.1 dB each. ValueError for a negative length or an
    unknown class."""
    if length_m < 0:
        raise ValueError(f"length_m: a cable cannot be {length_m:g} m long")
    if cable:
        if cable not in COAX:
            raise ValueError(f"cable: unknown class '{cable}'; known: {', '.join(COAX)}")
        k1, k2 = COAX[cable]
    mhz = freq_hz / 1e6
    return (k1 * math.sqrt(mhz) + k2 * mhz) * length_m / 100 + CONNECTOR_DB * connectors
