"""The arithmetic of the motion rules, one file each: scalars in, scalars out."""
