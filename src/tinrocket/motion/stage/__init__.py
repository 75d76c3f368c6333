"""The stage: craft that enter and leave, marches, rounds and scores."""
