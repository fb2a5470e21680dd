"""Settings files of programs: reading the values in them, and changing one value and nothing else."""
