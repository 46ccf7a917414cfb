"""What the demo shows: an invented public-television series, who says what and when, and which faults are planted where.

Everything in here is made up. ``planted`` is what a review has to find, and what the tests compare with what was found.
What is not planted is clean.
"""

from .ducking_programmes import DUCKING_PROGRAMMES
from .long_programmes import LONG_PROGRAMMES
from .rarer_programmes import RARER_PROGRAMMES
from .short_programmes import SHORT_PROGRAMMES
from .story import Episode

SERIES = "The Hestholm Lamps"
EPISODES: tuple[Episode, ...] = (*LONG_PROGRAMMES, *SHORT_PROGRAMMES, *DUCKING_PROGRAMMES, *RARER_PROGRAMMES)
UPCOMING = (19, "The Last Relief Boat", 14)
