/** A file chosen by hand; the same one may be chosen again. */
export function FilePick({
  label,
  accept,
  busy,
  onFile,
}: {
  label: string
  accept: string
  busy: boolean
  onFile: (file: File) => void
}) {
  return (
    <label className="flex min-h-11 flex-wrap items-center gap-2">
      <span className="font-bold">{label}</span>
      <input
        type="file"
        accept={accept}
        className="max-w-full file:mr-3 file:min-h-11 file:border-2 file:border-line file:bg-field file:px-4 file:font-bold"
        disabled={busy}
        onChange={(e) => {
          const file = e.target.files?.[0]
          if (file) onFile(file)
          e.target.value = ''
        }}
      />
    </label>
  )
}

/** How a file goes as the body of a request. */
export function asFile(file: File, type: string) {
  return { body: file as never, bodySerializer: (body: unknown) => body, headers: { 'Content-Type': type } }
}
