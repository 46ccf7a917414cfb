"""What was done to the gain of the music, told apart from what the music does by itself.

Two signs are read together over the whole programme: a change of gain moves all bands at once by the same dB, which
music seldom does (``changes``); and where the same sound stands elsewhere, the difference in level is the difference in
gain (``likeness``). ``search`` looks for the fewest trapezoids that explain both.
"""
