"""What the user does, one module a stage, one function a deed. No Qt, no widget words."""
