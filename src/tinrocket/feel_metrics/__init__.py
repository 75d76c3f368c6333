"""Feel in numbers: standard manoeuvres, flown at every frame rate and measured."""
