"""What several test files share."""
