"""What the bench means: boards, chips, readings and verdicts. No window, no disk, no clock."""
