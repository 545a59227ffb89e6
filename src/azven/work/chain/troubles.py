"""What is wrong with an antenna system, in words with the number and the remedy; keep-away distances."""

from dataclasses import dataclass

from azven.book.regions import Rule
from azven.rf.chain.dc import WORDS
from azven.rf.chain.design import Design, Solved
from azven.rf.chain.outgoing import supply, transmit_results
from azven.rf.chain.transmit import TransmitResult, too_close_for_the_formula
from azven.work.ground.permission import excess_mw

LEAST_HEADROOM_DB = 3.0
_SHORT_EARS = 2


@dataclass(frozen=True)
class Trouble:
    """Something wrong with a design: the sentence with its number, and the remedy."""

    block: str
    text: str
    remedy: str


def warnings(design: Design, solved: Solved, rule: Rule | None = None) -> list[Trouble]:
    """Everything that would go wrong, the worst first. `rule`: what is permitted at the design's frequency."""
    out: list[Trouble] = []
    for receiver in solved.receivers:
        if receiver.headroom_db is not None and receiver.headroom_db < LEAST_HEADROOM_DB and receiver.limiting_stage:
            out.append(_overload(solved, receiver.limiting_stage, receiver.headroom_db))
    for p in solved.paths:
        zone = design.branch(p.antenna)
        needed = design.needed_db.get(p.receiver, 20.0)
        if p.gain_flag == "high":
            out.append(Trouble(p.antenna, f"{zone}: {p.excess_gain_db:+.1f} dB more gain than loss.",
                                "Take gain away, or turn the input down."))  # fmt: skip
        if p.snr_db is not None and p.snr_db < needed:
            out.append(Trouble(p.antenna, f"{zone}: {p.snr_db:.1f} dB over noise, {needed:g} needed.",
                                "A thicker cable, an amplifier at the antenna, or the antenna closer."))  # fmt: skip
    out += [Trouble(n, f"{n} {WORDS[code]}.", "Look at what passes and what blocks DC on this line.")
            for n, code in supply(design).errors]  # fmt: skip
    return out + _transmit_warnings(design, rule)


def _overload(solved: Solved, stage: str, headroom: float) -> Trouble:
    joint = solved.joints[stage]
    strongest = max(joint.signals.items(), key=lambda kv: kv[1], default=("", 0.0))
    foreign = {s.id for s in solved.system.signals if s.foreign}
    remedy = "Turn down what is in front of it."
    if strongest[0] in foreign:
        remedy = "Put a filter in front of the first amplifier; behind it, it is too late."
    who = strongest[0].split(" @ ")[0]
    room, level = (f"{headroom:+.1f}".replace("-", "−"), f"{strongest[1]:.0f}".replace("-", "−"))
    text = f"{stage} has {room} dB of headroom; {who} is the strongest there ({level} dBm)."
    return Trouble(stage, text, remedy)


def _over_cap(antenna: str, sent: TransmitResult, rule: Rule | None) -> list[Trouble]:
    """Radiated power of the strongest carrier against the cap of the rule."""
    excess = excess_mw(rule, max(sent.antenna_each_dbm), max(sent.eirp_each_dbm)) if rule is not None else None
    if rule is None or excess is None:
        return []
    return [Trouble(antenna, f"{antenna} sends {excess:.0f} mW {rule.power_kind} a carrier; "
                    f"{rule.power_mw:g} are allowed here ({rule.title}).",
                    "Less transmitter power, or an antenna with less gain; the licence decides.")]  # fmt: skip


def _transmit_warnings(design: Design, rule: Rule | None) -> list[Trouble]:
    out = []
    for antenna, sent in transmit_results(design).items():
        out += _over_cap(antenna, sent, rule)
        for name in sent.over_rating:
            out.append(Trouble(name, f"{name} puts more into the combiner than it is rated for.", "Lower its power."))
        if sent.headroom_peak_db is not None and sent.headroom_peak_db < 0:
            out.append(Trouble(antenna, f"The combiner compresses by {-sent.headroom_peak_db:.1f} dB at the peaks.",
                                "Fewer transmitters on it, or less power."))  # fmt: skip
        if sent.blocking_margin_db is None and design.receive_antennas():
            out.append(Trouble(antenna, "How far it stands from the receive antennas is not known.",
                                "Place both in Reach and start from the template again: what it does to the receivers "
                                "is worked out from their distance."))  # fmt: skip
        if sent.blocking_margin_db is not None and sent.blocking_margin_db < 0:
            out.append(Trouble(antenna, f"It blocks receivers by {-sent.blocking_margin_db:.1f} dB.",
                                "Move the antennas apart and out of each other's main lobe."))  # fmt: skip
    direct = [t for t in design.powers_dbm if not any(b for a, b in design.edges if a == t)]
    if len(direct) > _SHORT_EARS:
        out.append(Trouble(direct[0], f"{len(direct)} transmitters in one rack, each on its own antenna.",
                            "More than two in one rack belong on an active combiner with one antenna."))  # fmt: skip
    return out


def keep_away(design: Design) -> list[str]:
    """Keep-away distances of the transmitting antennas, in words that defer to the local code."""
    out = []
    for antenna, t in transmit_results(design).items():
        public = _distance(max(t.icnirp_public_m, t.fcc_public_m), design.freq_hz)
        workers = _distance(max(t.icnirp_occupational_m, t.fcc_occupational_m), design.freq_hz)
        out.append(
            f"{antenna}: {t.eirp_total_w:.2f} W EIRP; keep away {public} (general public), {workers} (workers). "
            "A caution with one reflection counted; the local code decides."
        )
    return out


def _distance(metres: float, freq_hz: float) -> str:
    return "under 10 cm" if too_close_for_the_formula(metres, freq_hz) else f"{metres:.2f} m"
