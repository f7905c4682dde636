"""What people asked to be told of, what they were told, and mail."""
