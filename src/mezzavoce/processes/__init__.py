"""Programs that the application starts: the measuring core and ffmpeg, bounded in time and in number."""
