"""On-board diagnostics: SAE J1979 services over CAN (ISO 15765-4), or through an adapter with AT commands."""
