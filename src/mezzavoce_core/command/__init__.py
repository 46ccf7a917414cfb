"""The core as a program: for people and for a worker."""
