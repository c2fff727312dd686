"""Faults of meshes, found and mended."""
