"""Operations on meshes: each takes a mesh and picks of its elements, and gives another mesh."""
