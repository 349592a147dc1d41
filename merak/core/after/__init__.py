"""Aftercare and the course of sessions."""
