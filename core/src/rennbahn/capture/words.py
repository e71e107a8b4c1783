"""Channels as a reader calls them."""

CHANNEL_WORDS = {
    "frame_time": "frame time",
    "timestamp": "timestamp",
    "fps": "rate",
    "gpu_busy_ms": "card busy",
    "cpu_busy_ms": "processor busy",
    "gpu_power_w": "card power",
    "gpu_temp_c": "card temperature",
    "gpu_hotspot_c": "card hot spot",
    "gpu_clock_mhz": "card clock",
    "gpu_util_pct": "card load",
    "cpu_util_pct": "processor load",
    "vram_used_mib": "card memory used",
    "fan_rpm": "fan",
    "wall_power_w": "wall power",
}
