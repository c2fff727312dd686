"""The document: pieces, placements, paths, courses, arrays; and how it evaluates to what stands in the level."""
