import { fireEvent, render, screen } from '@testing-library/react'
import { useState } from 'react'
import { describe, expect, it, vi } from 'vitest'
import { fieldProblem, problemOf, Refusal } from '../api/client'
import { useDraft } from './draft'
import { enterToNext, FigureField } from './field'
import { ProblemNote } from './problem'
import { VerdictMark } from './verdict'

function Two({ onSubmit }: { onSubmit: () => void }) {
  const [a, setA] = useState('')
  const [b, setB] = useState('')
  return (
    <form
      onKeyDown={enterToNext}
      onSubmit={(e) => {
        e.preventDefault()
        onSubmit()
      }}
    >
      <FigureField label="Volts" unit="V" value={a} onChange={setA} problem="Enter a number." />
      <input type="radio" aria-label="between" />
      <FigureField label="Amps" unit="A" value={b} onChange={setB} />
    </form>
  )
}

describe('a figure field', () => {
  it('goes to the next field on Enter, past radios, and says its problem', () => {
    render(<Two onSubmit={vi.fn()} />)
    const volts = screen.getByLabelText('Volts')
    volts.focus()
    fireEvent.keyDown(volts, { key: 'Enter' })
    expect(document.activeElement).toBe(screen.getByLabelText('Amps'))
    expect(volts.getAttribute('aria-invalid')).toBe('true')
    expect(screen.getByRole('alert').textContent).toContain('Enter a number.')
    expect(volts.getAttribute('inputmode')).toBe('decimal')
  })
})

function Draft() {
  const [draft, change, clear] = useDraft('t', start)
  return (
    <>
      <input aria-label="note" value={draft.note} onChange={(e) => change({ note: e.target.value })} />
      <button type="button" onClick={clear}>
        clear
      </button>
    </>
  )
}
const start = { note: '' }

describe('a draft', () => {
  it('is still there when the screen is opened again, until it is saved', () => {
    const first = render(<Draft />)
    fireEvent.change(screen.getByLabelText('note'), { target: { value: 'hum' } })
    first.unmount()
    const second = render(<Draft />)
    expect((screen.getByLabelText('note') as HTMLInputElement).value).toBe('hum')
    fireEvent.click(screen.getByText('clear'))
    second.unmount()
    render(<Draft />)
    expect((screen.getByLabelText('note') as HTMLInputElement).value).toBe('')
  })

  it('survives a broken store', () => {
    localStorage.setItem('orange-crank.draft.0.t@gone', '{broken')
    render(<Draft />)
    expect((screen.getByLabelText('note') as HTMLInputElement).value).toBe('')
  })
})

describe('a refusal', () => {
  const problem = {
    title: 'Check the entry',
    code: 'input_problem',
    detail: 'x',
    errors: [{ field: 'compressors[0].lra_a', label: 'Compressor 1, LRA', wanted: 'a number', got: 'abc' }],
    next_step: 'Look again.',
    status: 422,
  }

  it('names the field, what was wanted and what to do', () => {
    render(<ProblemNote problem={problem} />)
    expect(screen.getByRole('alert').textContent).toMatch(/Compressor 1, LRA.*a number.*abc.*Look again/)
  })

  it('is found by the field it belongs to', () => {
    expect(fieldProblem(problem, 'compressors[0].lra_a')).toBe('Enter a number.')
    expect(fieldProblem(problem, 'volts')).toBeUndefined()
  })

  it('wraps anything unforeseen', () => {
    expect(problemOf(new Refusal(problem))).toBe(problem)
    expect(problemOf(new Error('boom'))?.detail).toContain('boom')
    expect(problemOf(null)).toBeNull()
  })
})

describe('a verdict', () => {
  it.each(['pass', 'watch', 'fail', 'unknown', 'note'] as const)('%s has a word and a shape', (verdict) => {
    const { container } = render(<VerdictMark verdict={verdict} />)
    expect(container.textContent?.toLowerCase()).toBe(verdict)
    expect(container.querySelector('svg')).not.toBeNull()
  })
})
