"""Picture and sound for the browser: of a mix, of some tracks of a file, and of passages."""
