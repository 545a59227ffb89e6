"""The Chain stage."""
