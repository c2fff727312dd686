"""Reducing polygons: quadrics, the collapse kernel, targets, and how far the result deviates."""
