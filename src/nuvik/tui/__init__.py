"""The screens: one a stage. They show one of the core's values and ask the core for the next; none computes."""
