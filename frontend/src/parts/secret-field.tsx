import { t } from '@lingui/core/macro'
import { useId, useState } from 'react'

/** A word no one else shall read: hidden until it is requested; keepers of passphrases may fill it. */
export function SecretField({
  label,
  value,
  onChange,
  autoComplete,
  digits = false,
  hint,
  problem,
}: {
  label: string
  value: string
  onChange: (text: string) => void
  autoComplete: 'current-password' | 'new-password' | 'off'
  digits?: boolean
  hint?: string
  problem?: string | undefined
}) {
  const id = useId()
  const [shown, setShown] = useState(false)
  return (
    <div className="min-w-0">
      <label htmlFor={id} className="block text-sm font-bold text-soft">
        {label}
      </label>
      <div
        className={`flex min-h-12 items-stretch border-2 bg-field ${problem ? 'border-fail' : 'border-line'}`}
      >
        <input
          id={id}
          type={shown ? 'text' : 'password'}
          value={value}
          onChange={(e) => onChange(e.target.value)}
          onKeyDown={(e) => {
            // With the word that opens, Enter enters; it does not go on to the next thing to answer.
            if (e.key !== 'Enter' || autoComplete === 'new-password') return
            e.preventDefault()
            e.currentTarget.form?.requestSubmit()
          }}
          autoComplete={autoComplete}
          autoCapitalize="none"
          spellCheck={false}
          inputMode={digits ? 'numeric' : undefined}
          aria-invalid={Boolean(problem)}
          aria-describedby={problem || hint ? `${id}-say` : undefined}
          className="min-w-0 flex-1 bg-transparent px-3"
        />
        <button
          type="button"
          aria-pressed={shown}
          aria-label={t`Show ${label.toLowerCase()}`}
          className="min-w-14 border-l border-faint px-2 text-sm underline"
          onClick={() => setShown(!shown)}
        >
          {shown ? t`Hide` : t`Show`}
        </button>
      </div>
      {(problem || hint) && (
        <p id={`${id}-say`} className={`text-sm ${problem ? 'font-bold text-fail' : 'text-soft'}`}>
          {problem ?? hint}
        </p>
      )}
    </div>
  )
}
