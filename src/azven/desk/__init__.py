"""What is seen: the shell and one package a stage. Qt lives here and nowhere else."""
