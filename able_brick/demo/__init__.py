"""Merrow Lock: the demo level, built by ordinary steps from made-up pieces."""
