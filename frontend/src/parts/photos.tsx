import { t } from '@lingui/core/macro'
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query'
import { lazy, Suspense, useState } from 'react'
import { answer, at, type Call, client, problemOf, Refusal, type Schemas, send } from '../api/client'
import { day } from '../quantities/format'
import { Choice } from './choice'
import { TextField } from './field'
import { useNear } from './near'
import { ProblemNote } from './problem'
import { WhileOpen } from './read-only'
import { shrunk } from './shrink'
import { useWaits } from './waits'

const WaitingPhotos = lazy(() => import('./outbox').then((m) => ({ default: m.WaitingPhotos })))

const SUBJECTS = [
  { value: 'nameplate', label: t`Nameplate` },
  { value: 'wiring', label: t`Wiring, before` },
  { value: 'contacts', label: t`Contacts` },
  { value: 'other', label: t`Other` },
]

export function Gallery({ photos }: { photos: Schemas['PhotoOut'][] }) {
  return (
    <ul className="grid grid-cols-2 gap-3 sm:grid-cols-3">
      {photos.map((p) => (
        <li key={p.id} className="border border-faint bg-field">
          <a href={at(`/api/photos/${p.id}`)} target="_blank" rel="noreferrer">
            <img
              src={at(`/api/photos/${p.id}`)}
              alt={p.caption || SUBJECTS.find((s) => s.value === p.subject)?.label}
              width={p.width_px}
              height={p.height_px}
              loading="lazy"
              className="h-32 w-full object-cover"
            />
          </a>
          <p className="p-2 text-sm break-words">
            <b>{SUBJECTS.find((s) => s.value === p.subject)?.label}</b> {p.caption}
            <span className="block text-soft">
              {p.person}, {day(p.recorded_at)}
            </span>
          </p>
        </li>
      ))}
    </ul>
  )
}

const keys = new Map<string, string>()

/** The same picture sent again after a lost answer keeps its key. */
function keyOf(file: File, subject: string, caption: string): string {
  const name = [file.name, file.size, file.lastModified, subject, caption].join(' ')
  const key = keys.get(name) ?? crypto.randomUUID()
  keys.set(name, key)
  return key
}

/** Photographs on a call: taken before anything is moved, without where they were taken. */
export function Photos({ call }: { call: Call }) {
  const cache = useQueryClient()
  const [subject, setSubject] = useState('wiring')
  const [caption, setCaption] = useState('')
  const [box, near] = useNear<HTMLElement>()
  const waits = useWaits()
  const photos = useQuery({
    queryKey: ['photos', call.id],
    enabled: near,
    staleTime: 60_000,
    queryFn: () =>
      answer(client.GET('/api/calls/{call_id}/photos', { params: { path: { call_id: call.id } } })),
  })
  const add = useMutation({
    mutationFn: async (file: File) => {
      const query = new URLSearchParams({ subject, caption })
      const picture = await shrunk(file)
      const response = await send(
        new Request(at(`/api/calls/${call.id}/photos?${query}`), {
          method: 'POST',
          body: picture,
          headers: {
            'Content-Type': picture.type || 'application/octet-stream',
            'Idempotency-Key': keyOf(file, subject, caption),
          },
        }),
      )
      const body = await response.json()
      if (!response.ok) throw new Refusal(body)
    },
    onSuccess: () => {
      setCaption('')
      cache.invalidateQueries({ queryKey: ['photos', call.id] })
    },
  })
  return (
    <section ref={box} aria-label={t`Photos`} className="border-t-2 border-line pt-2">
      <h3 className="text-lg font-bold">{t`Photos`}</h3>
      <p className="pb-2 text-soft">{t`Take one before you move anything. GPS data is removed.`}</p>
      <div className="grid gap-3">
        <WhileOpen>
          <Choice label={t`Of what?`} value={subject} onChange={setSubject} options={SUBJECTS} />
          <TextField label={t`Caption`} value={caption} onChange={setCaption} />
          <input
            type="file"
            accept="image/jpeg,image/png,image/webp"
            capture="environment"
            aria-label={t`Photograph`}
            disabled={add.isPending}
            className="min-h-11 w-full file:mr-3 file:min-h-11 file:border-2 file:border-line file:bg-field file:px-4 file:font-bold"
            onChange={(e) => {
              const file = e.target.files?.[0]
              if (file) add.mutate(file)
              e.target.value = ''
            }}
          />
          <ProblemNote problem={problemOf(add.error)} />
        </WhileOpen>
        {photos.data && <Gallery photos={photos.data} />}
        {waits > 0 && (
          <Suspense fallback={null}>
            <WaitingPhotos call={call} />
          </Suspense>
        )}
      </div>
    </section>
  )
}
