"""Projects: the document, its history, its file, its autosave."""
