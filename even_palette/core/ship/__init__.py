"""Shipping: what goes into a package, its shader text and its documents."""
