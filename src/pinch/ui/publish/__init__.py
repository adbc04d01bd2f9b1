"""The Publish page: the chart deck, the report, and what an editor would stop."""
