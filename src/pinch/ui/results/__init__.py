"""Results that no log gives, as they are typed: one by one, or in a grid."""
