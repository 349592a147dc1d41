"""A visit before the chair: booked, asked, looked at, planned, agreed to."""
