"""Assessments: one pure function a question, from the frozen moment of a job to what screens and reports show."""
