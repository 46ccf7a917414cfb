"""Voice and what lies under it, from the mix alone: estimates, each with the interval that it lies in."""
