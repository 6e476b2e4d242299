"""The page of one job that its owner reads at a secret address."""
