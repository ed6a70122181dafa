"""Whole jobs as text: lines as they are typed, and what must hold after them."""
