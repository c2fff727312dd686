"""Laying: courses, arrays, copies, mirrors, scatter and paths."""
