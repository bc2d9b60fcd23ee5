"""What was found, said in plain sentences that the data carry."""
