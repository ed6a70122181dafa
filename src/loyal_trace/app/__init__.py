"""What window and command line share, without Qt: the open job, commands, importers, tasks, presenters."""
