"""Mezzavoce on one machine: what it needs beside itself, its processes, and the two ways to start it."""
