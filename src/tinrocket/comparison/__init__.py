"""What differs between flights: drift, outcomes and verdicts."""
