"""How stems lie in the mix, and what of them stands in each other."""
