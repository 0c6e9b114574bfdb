"""Coats, parameters and variants, and the expression that they make together."""
