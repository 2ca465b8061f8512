"""What code asks of its inputs."""
