"""Loyal Trace: a bench companion for restoring vintage computer and arcade boards."""

__version__ = "0.1.0"
