"""The Judge page: what a run held and what held it back."""
