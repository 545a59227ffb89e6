"""What is out there: links to instruments, and the stand-ins that play them."""
