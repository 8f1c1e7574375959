"""What audiences and links are used for: audiences, spend, channels, links, plans."""
