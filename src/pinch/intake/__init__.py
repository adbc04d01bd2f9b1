"""What comes from elsewhere: logs, tables of scores, watched folders; and where it belongs."""
