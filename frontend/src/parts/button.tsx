import { t } from '@lingui/core/macro'
import type { ButtonHTMLAttributes } from 'react'

type Kind = 'primary' | 'plain' | 'dead' | 'quiet'

const looks: Record<Kind, string> = {
  primary: 'bg-orange text-on-orange border-orange font-bold',
  dead: 'bg-dead text-on-dead border-dead font-bold',
  plain: 'bg-field text-ink border-line font-bold',
  quiet: 'bg-transparent text-ink border-transparent underline decoration-line underline-offset-4',
}

export function Button({
  kind = 'plain',
  busy = false,
  className = '',
  children,
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { kind?: Kind; busy?: boolean }) {
  return (
    <button
      type="button"
      {...rest}
      aria-busy={busy}
      disabled={rest.disabled || busy}
      className={`min-h-11 border-2 px-4 py-2 leading-tight disabled:opacity-55 ${looks[kind]} ${className}`}
    >
      {busy ? t`Saving…` : children}
    </button>
  )
}
