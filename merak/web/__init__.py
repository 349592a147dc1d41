"""Pages: one router and one template a stage of the visit; no rules, no SQL."""
