"""What is kept: rows in SQLite, audio by its content."""
