import { t } from '@lingui/core/macro'
import { type FormEvent, useState } from 'react'
import { useNavigate } from 'react-router'
import { fieldProblem, problemOf } from '../../api/client'
import { useAddSite, useAddUnit, useOpenCall, useSites, useUnits } from '../../api/queries'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { enterToNext, TextField } from '../../parts/field'
import { ProblemNote } from '../../parts/problem'
import { Sheet } from '../../parts/sheet'

export function NewCall({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  return (
    <Sheet open={open} onOpenChange={onOpenChange} title={t`Open a call`}>
      <NewCallForm />
    </Sheet>
  )
}

function NewCallForm() {
  const units = useUnits()
  const openCall = useOpenCall()
  const navigate = useNavigate()
  const [unit, setUnit] = useState('')
  const [complaint, setComplaint] = useState('')
  const [fresh, setFresh] = useState(false)
  const chosen = units.data?.find((u) => String(u.id) === unit)
  const submit = (event: FormEvent) => {
    event.preventDefault()
    openCall.mutate(
      { unit_id: Number(unit), complaint },
      { onSuccess: (call) => navigate(`/calls/${call.id}`) },
    )
  }
  if (fresh)
    return (
      <NewUnitForm
        onDone={(id) => {
          setUnit(String(id))
          setFresh(false)
        }}
        onBack={() => setFresh(false)}
      />
    )
  return (
    <form onSubmit={submit} onKeyDown={enterToNext} className="grid gap-4">
      <div>
        <label htmlFor="which-unit" className="block text-sm font-bold text-soft">{t`Which unit?`}</label>
        <select
          id="which-unit"
          value={unit}
          onChange={(e) => setUnit(e.target.value)}
          className="min-h-12 w-full border-2 border-line bg-field px-3"
        >
          <option value="">{t`Pick a unit`}</option>
          {units.data?.map((u) => (
            <option key={u.id} value={u.id}>
              {u.site.name} · {u.name}
              {u.open_call_id ? t` (call open)` : ''}
            </option>
          ))}
        </select>
        <Button
          kind="quiet"
          className="px-0"
          onClick={() => setFresh(true)}
        >{t`It is not in the list`}</Button>
      </div>
      {chosen?.open_call_id ? (
        <div className="border-2 border-line bg-field p-3">
          <p>{t`This unit has an open call already.`}</p>
          <Button
            kind="primary"
            className="mt-2"
            onClick={() => navigate(`/calls/${chosen.open_call_id}`)}
          >{t`Go on with it`}</Button>
        </div>
      ) : (
        <>
          <TextField
            label={t`What is the complaint?`}
            hint={t`In the customer's words. Example: hums then shuts off, lights dim, trips after a few minutes.`}
            value={complaint}
            onChange={setComplaint}
            wide
            problem={fieldProblem(problemOf(openCall.error), 'complaint')}
          />
          <ProblemNote problem={problemOf(openCall.error)} />
          <Button
            kind="primary"
            type="submit"
            busy={openCall.isPending}
            disabled={!unit || !complaint.trim()}
          >{t`Open the call`}</Button>
        </>
      )}
    </form>
  )
}

function NewUnitForm({ onDone, onBack }: { onDone: (id: number) => void; onBack: () => void }) {
  const sites = useSites()
  const addSite = useAddSite()
  const addUnit = useAddUnit()
  const [where, setWhere] = useState<'known' | 'new'>('known')
  const [site, setSite] = useState('')
  const [siteName, setSiteName] = useState('')
  const [place, setPlace] = useState('')
  const [name, setName] = useState('')
  const [kind, setKind] = useState('')
  const problem = problemOf(addSite.error ?? addUnit.error)
  const submit = async (event: FormEvent) => {
    event.preventDefault()
    try {
      let id = Number(site)
      if (where === 'new') {
        const made = await addSite.mutateAsync({
          name: siteName,
          place,
          access_note: '',
          contact: '',
          language: 'en',
        })
        id = made.id
        setSite(String(made.id))
        setWhere('known')
      }
      const made = await addUnit.mutateAsync({
        site_id: id,
        name,
        kind,
        note: '',
        serial: '',
        model: '',
        access_note: '',
      })
      onDone(made.id)
    } catch {
      // The refusal is shown by ProblemNote; what was typed stays.
    }
  }
  return (
    <form onSubmit={submit} onKeyDown={enterToNext} className="grid gap-4">
      <Choice
        label={t`Where is the unit?`}
        value={where}
        onChange={(v) => setWhere(v as 'known' | 'new')}
        options={[
          { value: 'known', label: t`A site we know` },
          { value: 'new', label: t`A new site` },
        ]}
      />
      {where === 'known' ? (
        <div>
          <label htmlFor="which-site" className="block text-sm font-bold text-soft">{t`Site`}</label>
          <select
            id="which-site"
            value={site}
            onChange={(e) => setSite(e.target.value)}
            className="min-h-12 w-full border-2 border-line bg-field px-3"
          >
            <option value="">{t`Pick a site`}</option>
            {sites.data?.map((s) => (
              <option key={s.id} value={s.id}>
                {s.name}
              </option>
            ))}
          </select>
        </div>
      ) : (
        <>
          <TextField label={t`Site name`} value={siteName} onChange={setSiteName} />
          <TextField label={t`Location`} value={place} onChange={setPlace} />
        </>
      )}
      <TextField label={t`Unit`} hint={t`Location: yard, roof, east side.`} value={name} onChange={setName} />
      <TextField label={t`Kind`} hint={t`Split, package, walk-in; size.`} value={kind} onChange={setKind} />
      <ProblemNote problem={problem} />
      <div className="flex flex-wrap gap-2">
        <Button
          kind="primary"
          type="submit"
          busy={addSite.isPending || addUnit.isPending}
          disabled={!name.trim() || (where === 'known' ? !site : !siteName.trim())}
        >{t`Save`}</Button>
        <Button onClick={onBack}>{t`Back`}</Button>
      </div>
    </form>
  )
}
