"""Shared fixtures. The offscreen platform is chosen before Qt is imported."""

import os
import sys
from pathlib import Path

from hypothesis import settings

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
sys.path.insert(0, str(Path(__file__).parent))
settings.register_profile("repeatable", derandomize=True, deadline=None, max_examples=60)
settings.load_profile("repeatable")
