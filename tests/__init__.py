"""Tests. Hypothesis runs the same examples each time and keeps no files; a slow machine is no failure."""

from hypothesis import settings

settings.register_profile("steady", deadline=None, derandomize=True, database=None)
settings.load_profile("steady")
