import { t } from '@lingui/core/macro'
import type { Reads } from '../quantities/reads'
import { Choice } from './choice'
import { Pick } from './pick'

const REGIONS: { value: Reads['region']; label: string }[] = [
  { value: 'en-US', label: t`United States` },
  { value: 'en-CA', label: t`Canada` },
  { value: 'en-GB', label: t`United Kingdom` },
  { value: 'en-IE', label: t`Ireland` },
  { value: 'en-AU', label: t`Australia` },
  { value: 'en-NZ', label: t`New Zealand` },
]

/** Languages of screens and papers, each named in itself. */
export const LANGUAGES: { value: Reads['language']; label: string }[] = [
  { value: 'en', label: t`English` },
  { value: 'es', label: t`Español` },
]

/** How a shop in the browser's own region is likely to read. */
export function likely(language: string): Reads {
  const region = REGIONS.find((r) => r.value === language)?.value ?? 'en-US'
  const north = region === 'en-US' || region === 'en-CA'
  const hours = region === 'en-GB' || region === 'en-IE' ? 24 : 12
  return {
    temperature: north ? 'F' : 'C',
    distance: north ? 'ft' : 'm',
    region,
    hours,
    language: language.startsWith('es') ? 'es' : 'en',
  }
}

const sample = (region: string) =>
  new Date(2031, 4, 6).toLocaleDateString(region, { day: 'numeric', month: 'short', year: 'numeric' })

/** Which units, whose dates, how many hours. */
export function ReadsPicks({ value, onChange }: { value: Reads; onChange: (next: Reads) => void }) {
  const pick = <K extends keyof Reads>(key: K, to: Reads[K]) => onChange({ ...value, [key]: to })
  return (
    <div className="grid gap-3">
      <Choice
        label={t`Language`}
        value={value.language}
        onChange={(v) => pick('language', v as Reads['language'])}
        options={LANGUAGES}
      />
      <Choice
        label={t`Temperatures`}
        value={value.temperature}
        onChange={(v) => pick('temperature', v as Reads['temperature'])}
        options={[
          { value: 'F', label: '°F' },
          { value: 'C', label: t`°C, differences in K` },
        ]}
      />
      <Choice
        label={t`Lengths and heights`}
        value={value.distance}
        onChange={(v) => pick('distance', v as Reads['distance'])}
        options={[
          { value: 'ft', label: t`Feet` },
          { value: 'm', label: t`Meters` },
        ]}
      />
      <div>
        <Pick
          label={t`Dates as in`}
          value={value.region}
          onChange={(v) => pick('region', v as Reads['region'])}
          options={REGIONS}
        />
        <p className="text-soft">{t`For example ${sample(value.region)}.`}</p>
      </div>
      <Choice
        label={t`Hours`}
        value={String(value.hours)}
        onChange={(v) => pick('hours', v === '12' ? 12 : 24)}
        options={[
          { value: '24', label: '15:05' },
          { value: '12', label: t`3:05 pm` },
        ]}
      />
    </div>
  )
}
