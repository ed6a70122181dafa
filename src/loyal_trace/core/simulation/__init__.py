"""The simulated bench: a netlist with hidden faults, and the instruments that read it."""
