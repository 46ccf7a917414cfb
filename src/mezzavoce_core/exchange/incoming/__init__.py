"""Reading what others wrote: answers in a filled-in table, notes in tables and as markers of a timeline."""
