"""Walking trees: every entry in order (for carrying), and fast sizing by several walkers (for surveying)."""
