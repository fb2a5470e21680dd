"""Survey: what drives there are, how full they are, and what is on them. Ends with a dated snapshot."""
