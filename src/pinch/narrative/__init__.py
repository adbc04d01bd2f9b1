"""Every sentence: findings, explanations, cards and the text of a report."""
