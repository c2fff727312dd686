"""Computation only: numpy, scipy, numba. No web, no database, no clock; bytes are read and written in `files` alone."""
