"""After the upload: what arrived, what is kept of each run, and what was sent before when the export comes again."""
