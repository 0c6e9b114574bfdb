"""Editing a colour in place."""
