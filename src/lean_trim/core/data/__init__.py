"""What everything is made of: channels, logs, tables, vehicles."""
