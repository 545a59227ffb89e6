"""What is remembered: records, the store that keeps them, migrations and the open formats."""
