"""How the programmes come to sound and picture."""
