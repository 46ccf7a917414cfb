"""Second mixes of some programmes: what the editor did after the first review."""
