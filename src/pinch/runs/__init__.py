"""Joins a source, the recorder and the book. Used by cli and ui."""
