"""What the pages show, as values: assessments made into rows, pictures and sentences. Nothing here knows a window."""
