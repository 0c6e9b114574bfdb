"""Files and folders: one gate for reading, one way of writing. Nothing here knows what a file holds."""
