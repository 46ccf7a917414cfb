"""What a stem can be."""

ROLES = ("dialogue", "music", "effects", "background")
