"""The labels of marks: A to Z without I and O, then AA, AB and so on. Given once, never given again."""

ALPHABET = "ABCDEFGHJKLMNPQRSTUVWXYZ"


def label(number: int) -> str:
    """The label of the mark with this number, counted from 0."""
    text = ""
    number += 1
    while number:
        number, place = divmod(number - 1, len(ALPHABET))
        text = ALPHABET[place] + text
    return text
