"""What Listen finds in 200 seeded venues: multiplexes, quiet channels, narrow lines; and what a sweep of a busy
venue costs."""

from dataclasses import dataclass

import numpy as np

import spectra
from azven.rf.detect import blocks
from azven.rf.live import Receiver, crew_of, status
from azven.rf.occupancy import survey
from azven.rf.sweep import Channel, Sweep, SweepSettings
from azven.rf.venue import Antenna, Emitter, Multiplex, Venue
from timing import least, row

CHANNELS = [Channel(str(21 + k), 470_000_000 + 8_000_000 * k, 478_000_000 + 8_000_000 * k) for k in range(28)]
SETTINGS = SweepSettings(start_hz=470_000_000, stop_hz=694_000_000, points=10_001, rbw_hz=30_000)
VENUES = 200


@dataclass
class Score:
    """Counts over all venues."""

    taken: int = 0
    found: int = 0
    quiet: int = 0
    alarms: int = 0
    lines: int = 0
    lines_found: int = 0
    exact: int = 0


def venue(seed: int) -> tuple[Venue, set[str], list[Emitter]]:
    """Up to 18 multiplexes from 10 to 50 dB over the floor in the RBW, up to eight lines from 10 to 40 dB over it."""
    rng = np.random.default_rng(seed)
    floor = float(np.median(Venue(seed=seed).sweep(Antenna(gain_dbi=0.0), SETTINGS).level_dbm))
    taken = rng.choice(28, int(rng.integers(0, 19)), replace=False)
    muxes = []
    for k in taken:
        in_rbw = floor + rng.uniform(10, 50)
        power = in_rbw + 10 * np.log10(0.95 * 8e6 / SETTINGS.rbw_hz)
        muxes.append(
            Multiplex(
                low_hz=CHANNELS[k].low_hz,
                high_hz=CHANNELS[k].high_hz,
                level_dbm=float(power),
                bearing_deg=0.0,
                pilot=False,
            )
        )
    free = [k for k in range(28) if k not in set(taken.tolist())]
    emitters = []
    for k in rng.choice(free, min(len(free), int(rng.integers(0, 9))), replace=False):
        freq = CHANNELS[k].low_hz + int(rng.integers(800_000, 7_200_000))
        level = floor + rng.uniform(10.5, 40)
        emitters.append(
            Emitter(
                name=f"line {k}",
                freq_hz=freq,
                power_dbm=0.0,
                position=(0.0, 0.0, 1.5),
                bandwidth_hz=12_500,
                arrives_dbm=float(level),
            )
        )
    world = Venue(multiplexes=tuple(muxes), emitters=tuple(emitters), seed=seed)
    return world, {CHANNELS[k].name for k in taken}, emitters


def judge(seed: int, score: Score) -> None:
    world, taken, emitters = venue(seed)
    sweep: Sweep = world.sweep(Antenna(gain_dbi=0.0), SETTINGS, 1)
    found = {b.channel.name for b in blocks(sweep, CHANNELS)}
    score.taken += len(taken)
    score.found += len(taken & found)
    score.quiet += len(CHANNELS) - len(taken)
    score.alarms += len(found - taken)
    seen = survey(sweep, CHANNELS).lines
    for e in emitters:
        score.lines += 1
        near = [x for x in seen if abs(x.freq_hz - e.freq_hz) <= 2 * SETTINGS.rbw_hz]
        score.lines_found += bool(near)
        score.exact += any(abs(x.freq_hz - e.freq_hz) <= SETTINGS.rbw_hz / 2 for x in near)


def mixture(seeds: range) -> None:
    """Spectra with everything in mixture: what is taken is never called quiet."""
    score = spectra.Score()
    for seed in seeds:
        spectra.mark(seed, score)
    print(f"{len(seeds)} spectra with everything in mixture")
    print(f"taken called quiet     {score.taken_called_quiet} of {score.taken} (wanted 0)")
    share = score.clear_called_taken / max(score.clear, 1)
    print(f"clear called taken     {score.clear_called_taken} of {score.clear}: {share:.2%} (wanted under 1 %)")
    found, exact = score.found / max(score.emissions, 1), score.exact / max(score.emissions, 1)
    print(f"emissions found        {score.found} of {score.emissions}: {found:.2%} (wanted 99 %)")
    print(f"both edges right       {score.exact} of {score.emissions}: {exact:.2%}")
    print(f"false emissions        {score.false / max(score.bins, 1) * 1e4:.2f} in 10 000 bins (wanted under 1)")


def main(_: list[str]) -> None:
    mixture(range(1_500))
    score = Score()
    for seed in range(VENUES):
        judge(seed, score)
    print(f"{VENUES} venues, 28 channels each, RBW {SETTINGS.rbw_hz / 1e3:g} kHz, {SETTINGS.points} bins")
    print(f"multiplexes found      {score.found} of {score.taken}: {score.found / score.taken:.2%} (wanted 99 %)")
    print(
        f"false alarms           {score.alarms} of {score.quiet} quiet: {score.alarms / score.quiet:.2%} (at most 1 %)"
    )
    share, exact = score.lines_found / score.lines, score.exact / max(score.lines_found, 1)
    print(f"lines found            {score.lines_found} of {score.lines}: {share:.2%} (wanted 98 %)")
    print(f"within half an RBW     {score.exact} of {score.lines_found}: {exact:.2%}")
    rng = np.random.default_rng(5)
    own = tuple(
        Emitter(
            name=f"t{i}",
            freq_hz=int(470e6 + 3.6e6 * i),
            power_dbm=15.0,
            position=(float(rng.uniform(-9, 9)), float(rng.uniform(5, 55)), 1.5),
        )
        for i in range(60)
    )
    busy = Venue(emitters=own, front_iip3_dbm=10.0)
    numbers = rng.random(100_000)
    baseline = least(lambda: np.sort(numbers))
    row(
        "sweep of 10 001 points, 60 transmitters",
        least(lambda: busy.sweep(Antenna(), SETTINGS)),
        baseline,
        "(wanted under 20 ms)",
    )
    many = tuple(
        Emitter(
            name=f"l{i}",
            freq_hz=470_000_000 + 224_000 * i,
            power_dbm=15.0,
            position=(float(x), float(y), 1.5),
            bandwidth_hz=60_000,
            extra_loss_db=10.0,
            ours=True,
        )
        for i, (x, y) in enumerate(zip(rng.uniform(-40, 40, 1_000), rng.uniform(5, 90, 1_000), strict=True))
    )
    world, pair = (
        Venue(emitters=many, front_iip3_dbm=5.0),
        (Antenna(position=(-2, 0, 3), gain_dbi=6.5), Antenna(position=(2, 0, 3), gain_dbi=6.5)),
    )
    receivers = [Receiver(e.name) for e in many]
    crew = crew_of(world, pair, receivers)
    row(
        "what disturbs each of 1 000 links, all on",
        least(lambda: crew_of(world, pair, receivers), 2),
        baseline,
        "(once a plan)",
    )
    row(
        "status of 1 000 links",
        least(lambda: status(crew, 5.0)),
        baseline,
        "(ten a second on a third of a core: 33 ms)",
    )
