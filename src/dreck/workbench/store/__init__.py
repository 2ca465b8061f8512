"""What is kept between runs: the journal of steps taken."""
