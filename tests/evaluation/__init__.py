"""The evaluation set: scripted mixes of real and synthetic sound with known gains, and what the analysis makes of them.

Never part of the product.
"""
