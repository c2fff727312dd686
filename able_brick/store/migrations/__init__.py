"""Alembic migrations of the project file."""
