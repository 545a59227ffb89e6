"""Open formats: each module reads and writes one, and none trusts what it reads."""
