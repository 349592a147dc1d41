"""One file per modality, all with the same face: settings, start, check, technique, dose."""
