"""Long work beside the screens: each job has its state, says what happens, and ends its own errors in a message."""
