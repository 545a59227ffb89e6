"""Reasons by level: the ratio of a link, what takes from it, and which figures stand in for places nobody has told."""

from azven.rf.scene import StandIn
from azven.rf.schools import Standing
from azven.work.plan import Board, Verdict
from azven.work.wording import decibel, formula, khz, listed

Row = tuple[str, str]


def sentence(now: Board, verdict: Verdict, level: Standing, who: str) -> str:
    ratio = f"{level.ratio_db:.0f} dB over noise and products, {level.needed_db:.0f} needed".replace("-", "−")
    blocked = _blocked(now, level)
    if level.spare_db < 0:
        made = level.worst
        names = [now.input.name(s) for s in made.sources] if made is not None else []
        worst = f" The strongest is {formula(made.kind)} of {listed(names)}." if made is not None else ""
        if level.whatever_its_frequency:
            worst = " No other frequency would help."
        return f"In danger by level: {ratio}.{blocked}{worst}"
    if verdict.excused:
        return f"Too close by {khz(-(verdict.margin_hz or 0))} to {who}, but harmless here: {ratio}.{blocked}"
    if verdict.state == "broken":
        return f"Too close by spacing or fifth order: {who}."
    return f"Holds by level: {ratio}.{blocked}"


def _blocked(now: Board, level: Standing) -> str:
    """What the receiver loses to what else arrives at it, and who brings most of that."""
    if not level.blocked_db:
        return ""
    lost = f"{level.blocked_db:.0f} dB" if level.blocked_db >= 0.5 else "under 1 dB"
    return f" Its receiver is blocked by {lost}, mostly by {now.input.name(level.blocker)}."


def rows(level: Standing | None) -> tuple[Row, ...]:
    """The same by level: the weakest wanted signal against noise and the sum of products, and what that hangs on."""
    if level is None:
        return ()
    products = decibel(level.products_dbm) if level.worst is not None else "none"
    blocked = (("lost to blocking", decibel(level.blocked_db, "dB")),) if level.blocked_db else ()
    return (
        ("wanted, at its worst", decibel(level.wanted_dbm)),
        ("products in its channel", products),
        ("receiver noise", decibel(level.noise_dbm)),
        *blocked,
        ("ratio", decibel(level.ratio_db, "dB")),
        ("needed", decibel(level.needed_db, "dB")),
        *((("hangs on", hangs_on(level)),) if level.stands_in else ()),
    )


_FIGURES: tuple[tuple[StandIn, str], ...] = (
    ("near", "nearest"), ("far", "farthest"), ("between", "from one another"),
)  # fmt: skip
_UNPLACED: tuple[tuple[StandIn, str], ...] = (
    ("receive antenna", "the receive antennas"), ("transmit antenna", "the in-ear antenna"),
)  # fmt: skip


def hangs_on(level: Standing) -> str:
    """Which distances of the room stand in for places that are not known, and what would make it surer."""
    figures = [word for key, word in _FIGURES if key in level.stands_in]
    unplaced = [word for key, word in _UNPLACED if key in level.stands_in]
    said = f"the room's distances ({', '.join(figures)})" if figures else "antennas face to face"
    remedy = f"place {' and '.join(unplaced)} in Reach" if unplaced else "measure these distances"
    return f"{said}; surer: {remedy}"
