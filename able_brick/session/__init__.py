"""The open project: steps, undo, redo, adjusting, previews; views and deltas; opening and saving."""
