"""The line: what is typed, as entries. Text and context in; entries, choices and message ids out."""
