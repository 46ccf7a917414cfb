"""The invented series: what its programmes are made of, and which faults are planted in them."""
