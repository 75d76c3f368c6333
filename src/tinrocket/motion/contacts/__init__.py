"""Contacts of bodies: times and outcomes, in kernels over tables that all games share."""
