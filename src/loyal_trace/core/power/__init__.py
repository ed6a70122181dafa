"""Supplies: the sums of a rectifier, its reservoir and regulator, and the judgement of rail readings."""
