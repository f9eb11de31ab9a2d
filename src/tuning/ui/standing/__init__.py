"""The Standing stage: its special panels and the suspicion trail."""
