"""Where bodies meet, when, and what comes of it: kernels over tables, the same for all games."""
