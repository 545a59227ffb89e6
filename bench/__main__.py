"""Speed and memory as ratios in one run: ./run bench [plan | start | screen | sweep | listen]."""

import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))

import bench_listen
import bench_plan
import bench_screen
import bench_start
import bench_sweep

PARTS = {"start": bench_start, "sweep": bench_sweep, "listen": bench_listen, "screen": bench_screen, "plan": bench_plan}


def main() -> None:
    """Run the parts named on the command line, all without a name."""
    names = [n for n in sys.argv[1:] if n in PARTS] or list(PARTS)
    for name in names:
        print(f"\n## {name}")
        PARTS[name].main([a for a in sys.argv[1:] if a not in PARTS])


if __name__ == "__main__":
    main()
