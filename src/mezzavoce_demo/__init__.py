"""The demo: an invented series with planted faults, its sound and picture, and what starts the whole on one machine."""
