"""One function for each thing a person does: one transaction each, permission checked here."""
