"""Pages: one router and one template a phase of the visit; no rules, no SQL."""
