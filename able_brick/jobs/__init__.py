"""Long and risky work in processes of its own: reading files that nobody has checked."""
