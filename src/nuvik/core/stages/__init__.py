"""Stages: the calls of each stage of the work, all that screens and commands may use besides views and model."""
