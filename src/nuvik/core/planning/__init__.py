"""Planning: which library belongs on which drive. Ends with a plan: steps with reasons."""
