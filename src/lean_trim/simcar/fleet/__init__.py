"""Random cars with known truth: engines, tables, drives and logs of every kind a stranger may bring."""
