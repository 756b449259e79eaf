import { t } from '@lingui/core/macro'

/** The phone's microphone, plain: nothing that cleans the sound up, for it would clean the start away. */

const PLAIN: MediaTrackConstraints = {
  echoCancellation: false,
  noiseSuppression: false,
  autoGainControl: false,
  channelCount: 1,
}

const NO_MICROPHONE =
  t`This browser gives no microphone here. It needs a secure address (https or this computer) and your permission. ` +
  t`Record with the phone's own recorder and choose the file, or use two taps.`

/** Begin recording; the function returned ends it and gives the sound. */
export async function recordSound(): Promise<() => Promise<Blob>> {
  let stream: MediaStream
  try {
    stream = await navigator.mediaDevices.getUserMedia({ audio: PLAIN })
  } catch {
    throw new Error(NO_MICROPHONE)
  }
  const pieces: Blob[] = []
  const recorder = new MediaRecorder(stream, { audioBitsPerSecond: 128_000 })
  recorder.ondataavailable = (e) => pieces.push(e.data)
  recorder.start()
  return () =>
    new Promise((resolve) => {
      recorder.onstop = () => {
        for (const track of stream.getTracks()) track.stop()
        resolve(new Blob(pieces, { type: recorder.mimeType }))
      }
      recorder.stop()
    })
}

/** Any sound the browser can play, as 16-bit mono WAV; a WAV is left as it is. */
export async function toWav(sound: Blob): Promise<Blob> {
  const bytes = await sound.arrayBuffer()
  const head = new TextDecoder('latin1').decode(bytes.slice(0, 4))
  if (head === 'RIFF' || head === 'RIFX') return new Blob([bytes], { type: 'audio/wav' })
  const context = new AudioContext()
  try {
    const audio = await context.decodeAudioData(bytes)
    return encodeWav(mixed(audio), audio.sampleRate)
  } catch {
    throw new Error(t`The browser cannot play that file as sound. Choose a WAV, or record again.`)
  } finally {
    await context.close()
  }
}

function mixed(audio: AudioBuffer): Float32Array {
  const sum = new Float32Array(audio.length)
  for (let c = 0; c < audio.numberOfChannels; c++) {
    audio.getChannelData(c).forEach((v, i) => {
      sum[i] = (sum[i] ?? 0) + v / audio.numberOfChannels
    })
  }
  return sum
}

/** RIFF/WAVE, PCM, 16 bit, mono. */
export function encodeWav(samples: Float32Array, rate: number): Blob {
  const size = samples.length * 2
  const view = new DataView(new ArrayBuffer(44 + size))
  const word = (at: number, text: string) => {
    for (let i = 0; i < text.length; i++) view.setUint8(at + i, text.charCodeAt(i))
  }
  word(0, 'RIFF')
  view.setUint32(4, 36 + size, true)
  word(8, 'WAVEfmt ')
  view.setUint32(16, 16, true)
  view.setUint16(20, 1, true)
  view.setUint16(22, 1, true)
  view.setUint32(24, rate, true)
  view.setUint32(28, rate * 2, true)
  view.setUint16(32, 2, true)
  view.setUint16(34, 16, true)
  word(36, 'data')
  view.setUint32(40, size, true)
  samples.forEach((v, i) => {
    view.setInt16(44 + i * 2, Math.max(-1, Math.min(1, v)) * 32_767, true)
  })
  return new Blob([view.buffer], { type: 'audio/wav' })
}
