"""The product in processes of its own: several of them, killed, starved, hung and started in odd places."""
