"""The simulated vehicle: engine, ECU, driver and sensors with known truth. No interface, no files."""
