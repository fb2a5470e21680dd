"""Rehearsal: what happens, step by step, before anything is touched. Ends with a timeline."""
