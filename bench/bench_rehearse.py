"""Rehearsing: an act of an hour with thirty links on one core, beside the same moments measured one by one; what it
foretells against another evening of the same show."""

import sys
import time
from dataclasses import replace

import numpy as np

from azven.rf.diagnose.record import Head, LinkHead
from azven.rf.links import End
from azven.rf.reach import Surroundings
from azven.rf.rehearse import foretold, take
from azven.rf.rehearse.production import Act, Player, Production
from azven.rf.venue import Antenna, Front, Venue
from azven.rf.venue.reception import Receiver, Side
from timing import row

LINKS, HOUR_S, MOMENTS = 30, 3_600.0, 60
STAGE = ((-20.0, 10.0), (20.0, 10.0), (20.0, 70.0), (-20.0, 70.0))


def show() -> Production:
    """Thirty links of one room on a plan of steadily growing steps."""
    sides = tuple(
        Side(End(gain_dbi=2.15, kind="omni", pos_m=(x, 0.0, 3.0)),
             Antenna(position=(x, 0.0, 3.0), front=Front(gain_db=6.0, noise_figure_db=5.0, iip3_dbm=-5.0)),
             Surroundings(exponent=36.0))
        for x in (-1.0, 1.0)
    )  # fmt: skip
    freq = [500_000_000 + 600_000 * i + 47_000 * i * i for i in range(LINKS)]
    receiver = Receiver(sides=(0, 1), needed_db=20.0)
    players = tuple(
        Player(name=f"L{i}", freq_hz=float(f), power_dbm=12.0, bandwidth_hz=100e3, body_db=16.0, behind=1.0,
               receiver=receiver, stage=STAGE)
        for i, f in enumerate(freq)
    )  # fmt: skip
    links = tuple(LinkHead(name=p.name, freq_hz=f, zone="Hall", system="Hall", rack=f"r-{i // 8}", threshold_dbm=-95.0)
                  for i, (p, f) in enumerate(zip(players, freq, strict=True)))  # fmt: skip
    act = Act("a1", "An hour", 0.0, HOUR_S)
    return Production(players=players, sides=sides, venue=Venue(exponent=36.0), acts=(act,),
                      head=Head(links=links, acts={"a1": (0.0, HOUR_S)}))  # fmt: skip


def main(_: list[str] | None = None) -> None:
    """Run it."""
    production = show()
    act = production.acts[0]
    there = take.reception(production, act, 1)
    sent = take.play(production, replace(act, to_s=1.0), 1)
    assert sent is not None
    begun = time.process_time()
    for k in range(MOMENTS):
        there.shown(10.0 * k, sent.carried.freq_hz, sent.carried)
    one_by_one = (time.process_time() - begun) / MOMENTS * HOUR_S / take.STEP_S
    begun = time.process_time()
    played = take.play(production, act, 1)
    assert played is not None
    playing = time.process_time() - begun
    found = foretold.outcome(played)
    whole = time.process_time() - begun
    row("an hour with 30 links, played and judged", whole, one_by_one, f"wanted < 20 s on one core; {whole:.1f} s")
    row("  of it playing", playing, one_by_one, "")
    print(f"  {found.dropout_s.sum():.0f} s without sound in all, {found.named} of {found.asked} causes named right")
    _against_another_evening(production)


def _against_another_evening(production: Production) -> None:
    """Foretold by twenty seeds of ten minutes, against one more."""
    act = replace(production.acts[0], to_s=600.0)
    seconds = []
    for seed in range(1, 22):
        played = take.play(production, act, seed)
        assert played is not None
        seconds.append(played.lost.sum(axis=1) * take.STEP_S)
    low, high = np.percentile(seconds[:-1], (10, 90), axis=0)
    inside = (seconds[-1] >= np.floor(low)) & (seconds[-1] <= np.ceil(high))
    usual = float(np.median(seconds[:-1]))
    print(f"  {int(inside.sum())} of {LINKS} links of another evening lie within the spread of twenty "
          f"(wanted 9 of 10); {usual:.1f} s of 600 are lost in the middle")  # fmt: skip


if __name__ == "__main__":
    main(sys.argv[1:])
