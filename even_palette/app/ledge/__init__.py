"""The ledge: the wide strip under the stand that holds what a stage needs to be wide."""
