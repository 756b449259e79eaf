import { t } from '@lingui/core/macro'
import type { Schemas } from '../api/client'
import { useReadAt } from './waits'

type State = Schemas['CallState']

/** DEAD on a solid ground, LIVE beside its hatching: shape, word and colour together. */
export function StateWord({ state, large = false }: { state: State; large?: boolean }) {
  const size = large ? 'text-base px-3 py-1' : 'text-xs px-2 py-0.5'
  // A person may have gone live since: what was proved before the signal went is proved no more.
  const unheard = useReadAt() !== null
  if (state.state === 'dead_proved' && unheard)
    return (
      <span
        className={`inline-block border-2 border-dashed border-ink bg-field font-bold ${size}`}
      >{t`? not proved dead`}</span>
    )
  if (state.state === 'dead_proved')
    return <span className={`inline-block bg-dead font-bold text-on-dead ${size}`}>■ {state.words}</span>
  if (state.state === 'lapsed')
    return (
      <span className={`inline-block border-2 border-dashed border-ink bg-field font-bold ${size}`}>
        ? {state.words}
      </span>
    )
  return (
    <span className="inline-flex items-stretch border-2 border-ink">
      <span className={`hatched ${large ? 'w-6' : 'w-3'}`} aria-hidden="true" />
      <span className={`bg-field font-bold ${size}`}>{state.words}</span>
    </span>
  )
}
