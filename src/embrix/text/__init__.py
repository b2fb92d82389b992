"""Source texts, places in them, and what is said about them. Knows no other part of Embrix."""
