"""What is tuned: validated data and the files it comes from; no arithmetic of motion."""
