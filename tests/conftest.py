"""What all tests share: how hard the random ones try."""

from __future__ import annotations

import os

from hypothesis import HealthCheck, settings

settings.register_profile(
    "usual", max_examples=150, deadline=None, suppress_health_check=list(HealthCheck), print_blob=True
)
settings.register_profile("thorough", parent=settings.get_profile("usual"), max_examples=5000)
settings.load_profile(os.environ.get("MOKUJI_TEST_PROFILE", "usual"))
