"""Every kind of finding that this version judges. A new kind is one module in ``kinds`` and one line here."""

from .kinds import (
    channel_imbalance,
    clipped,
    dialogue_off,
    dropout,
    duck_late,
    duck_missing,
    duration_off,
    first_word_masked,
    integrated_off_target,
    inverse_phase,
    masked_speech,
    momentary_over,
    mono_loss,
    range_too_wide,
    section_jump,
    short_term_over,
    true_peak_over,
)
from .model import Kind

KINDS: tuple[Kind, ...] = (
    integrated_off_target.KIND,
    range_too_wide.KIND,
    dialogue_off.KIND,
    short_term_over.KIND,
    momentary_over.KIND,
    section_jump.KIND,
    true_peak_over.KIND,
    clipped.KIND,
    dropout.KIND,
    inverse_phase.KIND,
    mono_loss.KIND,
    channel_imbalance.KIND,
    duration_off.KIND,
    duck_missing.KIND,
    duck_late.KIND,
    masked_speech.KIND,
    first_word_masked.KIND,
)
