"""What is true about skin, energy and time. Knows no web, no database, no clock."""
