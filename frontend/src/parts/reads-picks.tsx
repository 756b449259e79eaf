import type { Reads } from '../quantities/reads'
import { Choice } from './choice'
import { Pick } from './pick'

const REGIONS: { value: Reads['region']; label: string }[] = [
  { value: 'en-US', label: 'United States' },
  { value: 'en-CA', label: 'Canada' },
  { value: 'en-GB', label: 'United Kingdom' },
  { value: 'en-IE', label: 'Ireland' },
  { value: 'en-AU', label: 'Australia' },
  { value: 'en-NZ', label: 'New Zealand' },
]

/** Languages of screens and papers, each named in itself. */
export const LANGUAGES: { value: Reads['language']; label: string }[] = [
  { value: 'en', label: 'English' },
  { value: 'es', label: 'Español' },
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
        label="Language"
        value={value.language}
        onChange={(v) => pick('language', v as Reads['language'])}
        options={LANGUAGES}
      />
      {value.language === 'es' && (
        <p className="text-soft">
          Paros, próximos pasos, hallazgos, pruebas y causas en español; las etiquetas de las pantallas siguen
          en inglés.
        </p>
      )}
      <Choice
        label="Temperatures"
        value={value.temperature}
        onChange={(v) => pick('temperature', v as Reads['temperature'])}
        options={[
          { value: 'F', label: '°F' },
          { value: 'C', label: '°C, differences in K' },
        ]}
      />
      <Choice
        label="Lengths and heights"
        value={value.distance}
        onChange={(v) => pick('distance', v as Reads['distance'])}
        options={[
          { value: 'ft', label: 'Feet' },
          { value: 'm', label: 'Meters' },
        ]}
      />
      <div>
        <Pick
          label="Dates as in"
          value={value.region}
          onChange={(v) => pick('region', v as Reads['region'])}
          options={REGIONS}
        />
        <p className="text-soft">For example {sample(value.region)}.</p>
      </div>
      <Choice
        label="Hours"
        value={String(value.hours)}
        onChange={(v) => pick('hours', v === '12' ? 12 : 24)}
        options={[
          { value: '24', label: '15:05' },
          { value: '12', label: '3:05 pm' },
        ]}
      />
    </div>
  )
}
