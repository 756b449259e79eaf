/** As large as the record keeps a photograph; what is larger need not go over a weak line. */
const LONGEST_PX = 2_000
const QUALITY = 0.85
/** What is small already goes as it is. */
const LEAST_BYTES = 600_000

const made = new WeakMap<File, Promise<Blob>>()

/**
 * A photograph made smaller before it is sent, upright, without what the camera wrote into it. The same file gives the
 * same picture, so that it keeps its key when it is sent again; one that cannot be read goes as it is, for the server to
 * say what is wrong with it.
 */
export function shrunk(file: File): Promise<Blob> {
  const known = made.get(file) ?? shrink(file).catch(() => file)
  made.set(file, known)
  return known
}

async function shrink(file: File): Promise<Blob> {
  if (file.size < LEAST_BYTES || typeof createImageBitmap === 'undefined') return file
  const picture = await createImageBitmap(file, { imageOrientation: 'from-image' })
  const by = Math.min(1, LONGEST_PX / Math.max(picture.width, picture.height))
  const canvas = document.createElement('canvas')
  canvas.width = Math.round(picture.width * by)
  canvas.height = Math.round(picture.height * by)
  canvas.getContext('2d')?.drawImage(picture, 0, 0, canvas.width, canvas.height)
  picture.close()
  const small = await new Promise<Blob | null>((done) => canvas.toBlob(done, 'image/jpeg', QUALITY))
  return small && small.size < file.size ? small : file
}
