"""Work that is done behind the pages: who may take it, for how long, how often it is tried, in whose turn."""
