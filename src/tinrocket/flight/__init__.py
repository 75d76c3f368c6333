"""Flying a plan: pacing and tape, flights that are run or stepped, and batches of variants."""
