"""Typed expressions over one table of operations, and the back ends that read them."""
