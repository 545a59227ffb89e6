"""Speed and memory as ratios in one run, all parts or those named: ./run bench [plan | diagnose | …]; `fuzz` alone."""

import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))

import bench_book
import bench_campuses
import bench_desks
import bench_diagnose
import bench_fuzz
import bench_listen
import bench_plan
import bench_racks
import bench_register
import bench_rehearse
import bench_rehearse_demo
import bench_screen
import bench_start
import bench_sweep
import bench_watch

PARTS = {
    "start": bench_start,
    "book": bench_book,
    "sweep": bench_sweep,
    "listen": bench_listen,
    "screen": bench_screen,
    "racks": bench_racks,
    "diagnose": bench_diagnose,
    "watch": bench_watch,
    "rehearse": bench_rehearse,
    "register": bench_register,
    "campuses": bench_campuses,
    "plan": bench_plan,
}
LONG = {"fuzz": bench_fuzz, "regatta": bench_rehearse_demo, "desks": bench_desks}
"""Run only where they are named: they take an hour."""


def main() -> None:
    """Run the parts named on the command line, all without a name."""
    if sys.argv[1:2] and sys.argv[1] in LONG:
        LONG[sys.argv[1]].main(sys.argv[2:])
        return
    names = [n for n in sys.argv[1:] if n in PARTS] or list(PARTS)
    for name in names:
        print(f"\n## {name}")
        PARTS[name].main([a for a in sys.argv[1:] if a not in PARTS])


if __name__ == "__main__":
    main()
