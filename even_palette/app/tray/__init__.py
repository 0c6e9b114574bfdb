"""The tray: the controls of the current stage, one panel a stage."""
