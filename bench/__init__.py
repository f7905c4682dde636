"""Figures of Mokuji, as ratios in one run: ``bin/bench`` (or ``python -m bench``, ``--pages 5000`` for a short one)."""
