import { t } from '@lingui/core/macro'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { answer, client, fieldProblem, problemOf, type Schemas, type Unit } from '../../api/client'
import { Button } from '../../parts/button'
import { Choice } from '../../parts/choice'
import { FigureField, TextField } from '../../parts/field'
import { Form } from '../../parts/figures'
import { ProblemNote } from '../../parts/problem'
import { LANGUAGES } from '../../parts/reads-picks'
import { parseCount, parseFigure } from '../../quantities/figure'
import { typed } from '../../quantities/measures'
import { useManages } from '../shop/people'
import { Merge } from './merge'

/** What is known of a unit and its place, edited from the version it was read in. */
export function UnitForm({ unit, onDone }: { unit: Unit; onDone: () => void }) {
  const cache = useQueryClient()
  const manages = useManages()
  const [words, setWords] = useState({
    name: unit.name,
    kind: unit.kind,
    model: unit.model,
    serial: unit.serial,
    built: unit.built_year ? String(unit.built_year) : '',
    warranty: unit.warranty_until ?? '',
    access: unit.access_note,
    note: unit.note,
    place: unit.site.place,
    contact: unit.site.contact,
    siteAccess: unit.site.access_note,
    language: unit.site.language,
    elevation: typed(unit.site.elevation_ft, 'ft'),
    hottest: typed(unit.site.design_f, '°F'),
  })
  const put = (name: keyof typeof words) => (text: string) => setWords((old) => ({ ...old, [name]: text }))
  const save = useMutation({
    mutationFn: async () => {
      const site = {
        version: unit.site.version,
        name: unit.site.name,
        place: words.place,
        contact: words.contact,
        access_note: words.siteAccess,
        language: words.language,
        elevation_ft: parseFigure(words.elevation, 'ft'),
        design_f: parseFigure(words.hottest, '°F'),
      }
      if ((Object.keys(site) as (keyof typeof site)[]).some((k) => site[k] !== (unit.site[k] ?? null)))
        await answer(
          client.PUT('/api/sites/{site_id}', { params: { path: { site_id: unit.site.id } }, body: site }),
        )
      return answer(
        client.PUT('/api/units/{unit_id}', {
          params: { path: { unit_id: unit.id } },
          body: {
            version: unit.version,
            name: words.name,
            kind: words.kind,
            model: words.model,
            serial: words.serial,
            built_year: parseCount(words.built),
            warranty_until: words.warranty || null,
            access_note: words.access,
            note: words.note,
          } as Schemas['UnitEdit'],
        }),
      )
    },
    onSuccess: () => {
      cache.invalidateQueries({ queryKey: ['unit', unit.id] })
      cache.invalidateQueries({ queryKey: ['units'] })
      cache.invalidateQueries({ queryKey: ['sites'] })
      cache.invalidateQueries({ queryKey: ['call'] })
      onDone()
    },
  })
  const problem = problemOf(save.error)
  return (
    <>
      <Form label={t`The unit`} onSubmit={() => save.mutate()} className="grid gap-3">
        <div className="grid gap-3 sm:grid-cols-2">
          <TextField
            label={t`Unit`}
            value={words.name}
            onChange={put('name')}
            problem={fieldProblem(problem, 'name')}
          />
          <TextField label={t`Kind`} value={words.kind} onChange={put('kind')} />
          <TextField label={t`Model`} value={words.model} onChange={put('model')} />
          <TextField label={t`Serial`} value={words.serial} onChange={put('serial')} />
          <FigureField
            label={t`Year built`}
            value={words.built}
            onChange={put('built')}
            whole
            problem={fieldProblem(problem, 'built_year')}
          />
          <label className="block">
            <span className="block text-sm font-bold text-soft">{t`Warranty until`}</span>
            <input
              type="date"
              value={words.warranty}
              onChange={(event) => put('warranty')(event.target.value)}
              className="min-h-12 w-full border-2 border-line bg-field px-3"
            />
          </label>
        </div>
        <TextField
          label={t`Access to the unit`}
          hint={t`Ladder, hatch, gate, dog.`}
          value={words.access}
          onChange={put('access')}
          wide
        />
        <TextField label={t`Note on the unit`} value={words.note} onChange={put('note')} wide />
        <h3 className="border-b-2 border-ink font-bold">{unit.site.name}</h3>
        <TextField label={t`Location`} value={words.place} onChange={put('place')} />
        <TextField
          label={t`Contact`}
          hint={t`Contact name and phone.`}
          value={words.contact}
          onChange={put('contact')}
        />
        <TextField label={t`Getting in`} value={words.siteAccess} onChange={put('siteAccess')} wide />
        <div className="grid gap-3 sm:grid-cols-2">
          <FigureField
            label={t`Elevation`}
            unit="ft"
            value={words.elevation}
            onChange={put('elevation')}
            problem={fieldProblem(problem, 'elevation_ft')}
          />
          <FigureField
            label={t`Hottest days`}
            unit="°F"
            value={words.hottest}
            onChange={put('hottest')}
            problem={fieldProblem(problem, 'design_f')}
          />
        </div>
        <Choice
          label={t`Language of the customer's papers`}
          value={words.language}
          onChange={(v) => put('language')(v)}
          options={LANGUAGES}
        />
        <ProblemNote problem={problem} />
        <div>
          <Button
            kind="primary"
            type="submit"
            busy={save.isPending}
            disabled={!words.name.trim()}
          >{t`Save`}</Button>
        </div>
      </Form>
      {manages && <Merge unit={unit} onDone={onDone} />}
    </>
  )
}
