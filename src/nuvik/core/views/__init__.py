"""Views: the rows, sentences and figures that screens, commands and drawings share. Values only, no I/O."""
