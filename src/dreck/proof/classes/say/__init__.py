"""What classes say themselves of reading, comparing and asking, and what that takes back from the assumptions."""
