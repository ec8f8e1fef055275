"""What `./bell` does before and around the app. Plain standard library: it runs before anything is installed."""
