"""What Nuvik remembers: snapshots, plans and the journal, in one SQLite database; and the files it exchanges."""
