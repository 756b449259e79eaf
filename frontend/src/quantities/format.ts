import { t } from '@lingui/core/macro'
import { locale, reads } from './reads'

/** Write a figure short, without inventing digits. */
export function figure(value: number, digits = 4): string {
  return Number(value.toPrecision(digits)).toLocaleString('en-US', {
    maximumFractionDigits: 6,
    useGrouping: false,
  })
}

const hours = (at: Date) =>
  at
    .toLocaleTimeString(locale(), {
      hour: reads.hours === 12 ? 'numeric' : '2-digit',
      minute: '2-digit',
      hourCycle: reads.hours === 12 ? 'h12' : 'h23',
    })
    .toLowerCase()

export function clock(iso: string): string {
  return hours(new Date(iso))
}

export function day(iso: string): string {
  const then = new Date(iso)
  const today = new Date()
  const days = Math.round((startOfDay(today) - startOfDay(then)) / 86_400_000)
  if (days === 0) return t`today`
  if (days === 1) return t`yesterday`
  return then.toLocaleDateString(locale(), { day: 'numeric', month: 'short', year: 'numeric' })
}

/** A day of the calendar, as the server wrote it: no clock of this device moves it. */
export function calendarDay(iso: string): string {
  const [year, month, date] = iso.split('-').map(Number)
  return new Date(year ?? 0, (month ?? 1) - 1, date ?? 1).toLocaleDateString(locale(), {
    day: 'numeric',
    month: 'short',
    year: 'numeric',
  })
}

function startOfDay(date: Date): number {
  return new Date(date.getFullYear(), date.getMonth(), date.getDate()).getTime()
}

export function signed(value: number, digits = 0): string {
  const text = Math.abs(value).toFixed(digits)
  return `${value < 0 ? '−' : '+'}${text}`
}
