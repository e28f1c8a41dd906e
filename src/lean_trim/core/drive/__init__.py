"""A log seen through the calibration it was driven on."""
