"""What the body of a player meets."""
