"""From parts and plan to wires: netlist, rule check, drawing."""
