"""Instruments as small protocols, and the stand-ins that ask the simulated bench."""
