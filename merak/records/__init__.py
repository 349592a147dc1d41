"""PostgreSQL: tables, and queries named for what they answer."""
