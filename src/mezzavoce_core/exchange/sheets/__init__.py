"""Notes of one mix as files: one module a format, all from the same sheet."""
