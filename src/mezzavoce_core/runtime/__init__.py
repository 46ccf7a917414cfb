"""What a process of the core runs on."""
