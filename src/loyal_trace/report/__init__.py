"""The hand-back report: one model, written as HTML and as PDF."""
