"""Watch: the evening as it runs."""
