"""What people look at: pictures and printed tables."""
