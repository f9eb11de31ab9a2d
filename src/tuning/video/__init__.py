"""Photographs and clips: opening, time stamps, frames. No Qt."""

from tuning.video.media.source import PictureSource, open_source

__all__ = ["PictureSource", "open_source"]
