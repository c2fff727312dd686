"""The project file: one SQLite database with rows, journal and mesh blobs."""
