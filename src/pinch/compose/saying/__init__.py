"""What results say: the finding in a sentence and the chart, for pages, cards and reports alike."""
