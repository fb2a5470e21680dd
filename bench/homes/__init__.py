"""Made-up homes of several people, with the truth about what is in them, to measure how much a survey recognises."""
