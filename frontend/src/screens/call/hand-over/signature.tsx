import { t } from '@lingui/core/macro'
import { useEffect, useRef } from 'react'
import SignaturePad from 'signature_pad'
import { Button } from '../../../parts/button'

export type Strokes = number[][][]

/** A field to sign in with finger, pen or mouse; strokes come out as shares of its width and height. */
export function SignatureField({ onChange }: { onChange: (strokes: Strokes) => void }) {
  const canvas = useRef<HTMLCanvasElement>(null)
  const pad = useRef<SignaturePad | null>(null)
  const told = useRef(onChange)
  told.current = onChange
  useEffect(() => {
    const c = canvas.current
    if (!c) return
    const ratio = Math.max(1, window.devicePixelRatio)
    const { width, height } = c.getBoundingClientRect()
    c.width = width * ratio
    c.height = height * ratio
    c.getContext('2d')?.scale(ratio, ratio)
    const made = new SignaturePad(c, { minDistance: 3, penColor: '#121618' })
    pad.current = made
    const share = (v: number, of: number) => Math.min(1, Math.max(0, v / of))
    made.addEventListener('endStroke', () =>
      told.current(made.toData().map((g) => g.points.map((p) => [share(p.x, width), share(p.y, height)]))),
    )
    return () => made.off()
  }, [])
  return (
    <div>
      <p className="text-sm font-bold text-soft">{t`Signature`}</p>
      <canvas
        ref={canvas}
        aria-label={t`Field to sign in`}
        className="h-36 w-full touch-none border-2 border-line bg-white"
      />
      <Button
        kind="quiet"
        className="px-2 text-sm"
        onClick={() => {
          pad.current?.clear()
          onChange([])
        }}
      >{t`Clear`}</Button>
    </div>
  )
}
