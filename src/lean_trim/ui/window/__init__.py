"""The window itself and what frames its contents."""
