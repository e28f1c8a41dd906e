"""What is proposed, what is decided, and the cautions that belong to it."""
