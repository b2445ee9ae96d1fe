"""What window and command line both do with a project: load a recording, run estimators, compare, judge."""
