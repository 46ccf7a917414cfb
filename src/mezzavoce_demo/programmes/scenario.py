"""What the demo shows: an invented public-television series.

Who says what and when, and which faults are planted where.

Everything in here is made up. ``planted`` is what a review has to find, and what the tests compare with what was found.
What is not planted is clean.
"""

from .ducking import DUCKING_PROGRAMMES
from .long import LONG_PROGRAMMES
from .rarer import RARER_PROGRAMMES
from .short import SHORT_PROGRAMMES
from .story import Episode

SERIES = "The Hestholm Lamps"
EPISODES: tuple[Episode, ...] = (*LONG_PROGRAMMES, *SHORT_PROGRAMMES, *DUCKING_PROGRAMMES, *RARER_PROGRAMMES)
UPCOMING = (19, "The Last Relief Boat", 14)
