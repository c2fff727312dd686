"""Tools that edit the mesh of a piece."""
