"""Forms cut by each other: closed meshes united, subtracted, intersected, split, and imprinted."""
