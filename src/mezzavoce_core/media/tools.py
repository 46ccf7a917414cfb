"""How ffmpeg and ffprobe are started: with limits, without network, opening only media containers and regular files."""

import resource
from collections.abc import Sequence

# Containers that carry programmes. Playlists, network and capture devices, and formats that open further files stay
# out.
_CONTAINERS = (
    "aac ac3 adx aiff alac amr ape asf au av1 avi caf codec2 daud dff dsf dts dtshd dv eac3 flac flv gxf h264 "
    "hevc iff ircam ivf loas lxf "
    "matroska webm mlp mov mp4 m4a 3gp 3g2 mj2 mp3 mpc mpc8 mpeg mpegts mpegvideo mxf nistsphere nut obu ogg "
    "oma paf pvf qcp rm shn sox spdif tak truehd "
    "tta voc w64 wav wsd wtv wv xwma"
)
GUARDED = ("-protocol_whitelist", "file,pipe", "-format_whitelist", _CONTAINERS.replace(" ", ","))
_MEMORY_MIB = 2048


def limited(command: Sequence[str], seconds: float, *, largest_file: int = 0) -> list[str]:
    """The command under limits of processor time in seconds, memory, and bytes that it may write to a file."""
    limits = {"as": _MEMORY_MIB * 1024**2, "cpu": int(seconds) + 1, "fsize": largest_file, "core": 0}
    names = {
        "as": resource.RLIMIT_AS,
        "cpu": resource.RLIMIT_CPU,
        "fsize": resource.RLIMIT_FSIZE,
        "core": resource.RLIMIT_CORE,
    }
    options = []
    for name, value in limits.items():
        # Nobody but root may go beyond a limit that is set already.
        hard = resource.getrlimit(names[name])[1]
        options.append(f"--{name}={value if hard == resource.RLIM_INFINITY else min(value, hard)}")
    return ["prlimit", *options, "--", *command]
