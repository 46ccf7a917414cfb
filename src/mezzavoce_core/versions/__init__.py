"""A new mix beside a former one: where what lies, and what became of every finding."""
