"""Lost link: what happens when the radio dies."""
