"""What finishes a mesh: a mirrored half, and a smoother surface."""
