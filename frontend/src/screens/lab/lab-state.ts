import type { Schemas } from '../../api/client'

export type StartIn = Schemas['StartIn']
export type Aid = Schemas['Aid']
export type LabOut = Schemas['LabOut']
/** An entry may leave out whatever the server has a default for. */
export type Entry = Omit<Partial<StartIn>, 'plate' | 'source' | 'load' | 'aid'> & {
  plate?: Partial<Schemas['StartPlate']> | null
  source?: Partial<Schemas['Source']>
  load?: Partial<Schemas['Load']>
  aid?: Partial<Aid>
}

export type ChosenAid = { label: string; aid: Partial<Aid>; on: boolean; why: string }

export type LabState = {
  call: number | null
  unit: number | null
  title: string
  base: Entry | null
  taken: Schemas['Taken'][]
  aids: ChosenAid[]
}

export const EMPTY: LabState = { call: null, unit: null, title: '', base: null, taken: [], aids: [] }

export const MOST_AIDS = 5
/** How long a start is followed on the screen. */
export const SHOWN_S = 1.5

/** The request for starts side by side: one for every aid that is on. */
export function labBody(base: Entry, aids: ChosenAid[]): Schemas['LabIn'] {
  const starts = aids
    .filter((a) => a.on)
    .map((a) => ({
      label: a.label,
      start: { ...base, aid: a.aid, trace: true, spread: true, duration_s: SHOWN_S },
    }))
  return { starts } as Schemas['LabIn']
}

export function asStart(entry: Entry): StartIn {
  return entry as StartIn
}

/** Change one aid, keeping the rest of it. */
export function changedAid(aids: ChosenAid[], label: string, part: Partial<ChosenAid>): ChosenAid[] {
  return aids.map((a) => (a.label === label ? { ...a, ...part } : a))
}
