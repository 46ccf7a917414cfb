"""Every kind of finding that this version judges. A new kind is one module in ``kinds`` and one line here."""

from .kinds import duck_late, duck_missing, first_word_masked, integrated_off_target, masked_speech, short_term_over, true_peak_over
from .model import Kind

KINDS: tuple[Kind, ...] = (
    integrated_off_target.KIND,
    short_term_over.KIND,
    true_peak_over.KIND,
    duck_missing.KIND,
    duck_late.KIND,
    masked_speech.KIND,
    first_word_masked.KIND,
)
