"""Models, fonts, icons and demo clips that ship with the application, and their licences."""
