"""Every error that the core expects, each with a sentence for the person who reads it.

MezzavoceError
├── NotMeasurable            the material cannot be measured as it is
│   ├── MediaError           the file: missing, empty, damaged, without sound
│   │   ├── BrokenOff        it ends before its own header says
│   │   ├── BadSamples       values that are no numbers
│   │   └── StillWritten     it changed while it was read
│   ├── NothingToMeasure     silent or too short
│   ├── RangeError           a range of the programme that cannot be
│   ├── LayoutError          channels whose places are not known
│   ├── TrackMapError        tracks and roles that do not fit together
│   ├── StemError            a stem that does not belong to the mix
│   └── ModelError           a trained model that is missing or damaged
├── SpecError                a spec that cannot be read or contradicts itself
├── CorrectionError          a corrections file that cannot be read
├── CaptionError             a caption file that cannot be read
├── TimecodeError            a timecode or frame rate that cannot be
├── UsageError               options that do not fit together
└── ToolFailed               a tool was killed or is missing: worth another try
"""


class MezzavoceError(Exception):
    """Root of all expected errors. ``str(error)`` is a sentence that says what to do."""

    temporary = False


class NotMeasurable(MezzavoceError):
    """The material cannot be measured as it is."""


class MediaError(NotMeasurable):
    """The file is missing, empty, damaged or holds no sound."""


class BrokenOff(MediaError):
    """The file ends before its own header says, or goes on after it."""


class BadSamples(MediaError):
    """The sound holds values that are no numbers."""


class StillWritten(MediaError):
    """The file changed while it was read."""


class RangeError(NotMeasurable):
    """A range of the programme is empty, overlaps another or lies outside the file."""


class LayoutError(NotMeasurable):
    """Where channels stand is not known or cannot be."""


class TrackMapError(NotMeasurable):
    """Tracks and roles do not fit together."""


class NothingToMeasure(NotMeasurable):
    """Silent, or shorter than one loudness block."""


class StemError(NotMeasurable):
    """A stem does not belong to the mix."""


class ModelError(NotMeasurable):
    """A trained model is missing or damaged."""


class SpecError(MezzavoceError):
    """A spec cannot be read or contradicts itself."""


class CorrectionError(MezzavoceError):
    """A corrections file cannot be read."""


class CaptionError(MezzavoceError):
    """A caption file cannot be read."""


class TimecodeError(MezzavoceError):
    """A timecode or a frame rate that cannot be."""


class UsageError(MezzavoceError):
    """Options that do not fit together."""


class ToolFailed(MezzavoceError):
    """A tool was killed or is missing; another try may do."""

    temporary = True
