"""The headless commands. They open files and print; linkcore does the reckoning."""
