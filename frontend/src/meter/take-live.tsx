import { t } from '@lingui/core/macro'
import { Button } from '../parts/button'
import { figure } from '../quantities/format'
import { type LiveValue, useLive } from './use-meter'

/** Under a field: what the meter shows that belongs in it, by one tap. */
export function TakeLive({
  quantity,
  onTake,
}: {
  quantity: string
  onTake: (value: number, live: LiveValue) => void
}) {
  const live = useLive(quantity)
  const value = live?.shown.value
  if (!live || typeof value !== 'number') return null
  return (
    <Button
      className="mt-1 w-full px-1 text-sm"
      onClick={() => onTake(value, live)}
    >{t`Take ${figure(value)} ${live.shown.unit} from the meter`}</Button>
  )
}
