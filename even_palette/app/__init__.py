"""The window: Qt 6 Widgets. Widgets show the kit and emit intents; commands change it."""
