"""Sound in and out as WAV (RIFF, PCM or float)."""

import io
import warnings

import numpy as np
from scipy.io import wavfile

from orange_crank.core.measure.start_sound import Sound
from orange_crank.core.messages import msg
from orange_crank.formats.recording import FileProblem

MOST_BYTES = 40 * 2**20
WORKING_HZ = 8_000
MOST_CHANNELS = 8


def read_wav(data: bytes, hertz: float = 60.0) -> Sound:
    """Return a WAV file as one channel of sound, brought near 8 kHz; channels are averaged.

    Raises
    ------
    FileProblem : not a WAV, a kind that cannot be read, cut short, or larger than 40 MB

    """
    if not data:
        raise FileProblem(msg("The file is empty."), next_step=msg("Record again."))
    if len(data) > MOST_BYTES:
        raise FileProblem(
            msg("The sound is over {most_bytes} MB.", most_bytes=MOST_BYTES // 2**20),
            next_step=msg("Record ten seconds around the start."),
        )
    if data[:4] not in (b"RIFF", b"RIFX") or data[8:12] != b"WAVE":
        raise FileProblem(
            msg("This is not a WAV file: it does not begin as one."),
            next_step=msg("Choose it through the Sound button; the browser turns other kinds into WAV."),
        )
    try:
        with warnings.catch_warnings(record=True) as told:
            # Chunks that scipy does not know are other people's notes; an early end is not.
            warnings.simplefilter("always", wavfile.WavFileWarning)
            rate, raw = wavfile.read(io.BytesIO(data))
    except Exception as error:  # scipy raises many kinds on a damaged file
        raise FileProblem(
            msg("The WAV cannot be read: {name}.", name=str(error)[:120] or type(error).__name__),
            next_step=msg("Record again, as plain PCM."),
        ) from None
    if any("prematurely" in str(w.message) for w in told):
        raise FileProblem(
            msg("The WAV is cut short: it holds less than its header states."),
            next_step=msg("Send it again."),
        )
    if raw.ndim == 2 and raw.shape[1] > MOST_CHANNELS:
        raise FileProblem(
            msg("{shape} channels are too many for a sound.", shape=raw.shape[1]),
            next_step=msg("Record in mono."),
        )
    if not 4_000 <= rate <= 400_000 or len(raw) == 0:
        raise FileProblem(
            msg("{raw} samples at {rate} a second: not a sound recording.", raw=len(raw), rate=rate),
            next_step=msg("Record at 8,000 to 48,000 samples a second."),
        )
    samples = raw.astype(np.float64)
    if raw.dtype == np.uint8:
        samples = (samples - 128) / 128
    elif np.issubdtype(raw.dtype, np.integer):
        samples /= float(np.iinfo(raw.dtype).max)
    if samples.ndim == 2:
        samples = samples.mean(axis=1)
    if not np.isfinite(samples).all():
        raise FileProblem(msg("The sound holds values that are not numbers."), next_step=msg("Record again."))
    down = max(1, rate // WORKING_HZ)
    if down > 1:
        # Loaded when first used: it takes as long as every other reader.
        from scipy.signal import resample_poly

        samples = resample_poly(samples, 1, down)
    return Sound(sample_hz=rate / down, samples=samples, hertz=hertz)


def write_wav(sound: Sound) -> bytes:
    """Return a sound as 16-bit mono WAV."""
    file = io.BytesIO()
    scaled = np.clip(np.round(sound.samples * 32_767), -32_768, 32_767).astype(np.int16)
    wavfile.write(file, round(sound.sample_hz), scaled)
    return file.getvalue()
