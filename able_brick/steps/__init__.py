"""One module per tool: a frozen model with ranges, units and help, and what it does to the level."""
