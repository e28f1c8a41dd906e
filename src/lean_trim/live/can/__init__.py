"""What a CAN bus broadcasts, heard without a word."""
