import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { fireEvent, render, screen } from '@testing-library/react'
import { useState } from 'react'
import { afterEach, describe, expect, it, vi } from 'vitest'
import type { Call } from '../api/client'
import { Boundary } from './boundary'
import { GateNote } from './gate'
import { setSingleKeys, singleKeysOn } from './keys-setting'
import { ReadOnlyRoom } from './read-only'
import { Stops } from './stops'

afterEach(() => vi.restoreAllMocks())

const stop = (change: object) =>
  ({
    code: 'GROUNDED',
    key: 'reading-1',
    text: 'Something downstream is shorted to metal.',
    next_step: 'Isolate piece by piece.',
    scope: 'live',
    source: 'To ground, Marlo',
    since: null,
    may_lift: true,
    lifted_by: 'Write down how',
    finding: null,
    ...change,
  }) as Call['ladder']['stops'][number]

function stopped(stops: Call['ladder']['stops'], closed = false) {
  render(
    <QueryClientProvider client={new QueryClient()}>
      <ReadOnlyRoom on={closed}>
        <Stops call={{ id: 4, ladder: { stops }, readings: [] } as unknown as Call} />
      </ReadOnlyRoom>
    </QueryClientProvider>,
  )
}

describe('a stop', () => {
  it('stands on every rung with what to do', () => {
    stopped([stop({})])
    expect(screen.getByRole('alert').textContent).toContain('STOP')
    expect(screen.getByText(/Isolate piece by piece/)).toBeTruthy()
    expect(screen.getByText('It is fixed')).toBeTruthy()
  })

  it('that words do not lift says what does', () => {
    stopped([stop({ may_lift: false, lifted_by: 'A new Make safe entry that proves it dead' })])
    expect(screen.queryByText('It is fixed')).toBeNull()
    expect(screen.getByText(/A new Make safe entry/)).toBeTruthy()
  })

  it('is shown, not lifted, on a closed call', () => {
    stopped([stop({})], true)
    expect(screen.getByRole('alert')).toBeTruthy()
    expect(screen.queryByText('It is fixed')).toBeNull()
  })

  it('that does not stand takes no room', () => {
    stopped([])
    expect(screen.queryByRole('alert')).toBeNull()
  })
})

describe('a gate', () => {
  it('says why it is shut and what opens it; open it says nothing', () => {
    const { container, rerender } = render(
      <GateNote gate={{ ok: false, why: 'Not dead.', next_step: 'Make safe.', with_reason: false }} />,
    )
    expect(container.textContent).toContain('Not dead.')
    expect(container.textContent).toContain('Make safe.')
    rerender(<GateNote gate={{ ok: true, why: null, next_step: null, with_reason: false }} />)
    expect(container.textContent).toBe('')
  })
})

function Faulty({ broken }: { broken: boolean }) {
  if (broken) throw new Error('a fault of ours')
  return <p>whole again</p>
}

function Room() {
  const [broken, setBroken] = useState(true)
  return (
    <>
      <button type="button" onClick={() => setBroken(false)}>
        mend
      </button>
      <Boundary place="here">
        <Faulty broken={broken} />
      </Boundary>
    </>
  )
}

describe('a screen that fails', () => {
  it('takes nothing else with it, and opens again', () => {
    vi.spyOn(console, 'error').mockImplementation(() => undefined)
    render(<Room />)
    expect(screen.getByRole('alert').textContent).toContain('This screen failed')
    fireEvent.click(screen.getByText('mend'))
    fireEvent.click(screen.getByText('Open it again'))
    expect(screen.getByText('whole again')).toBeTruthy()
  })
})

describe('single-letter shortcuts', () => {
  it('can be switched off and on, and are remembered', () => {
    expect(singleKeysOn()).toBe(true)
    setSingleKeys(false)
    expect(singleKeysOn()).toBe(false)
    setSingleKeys(true)
    expect(singleKeysOn()).toBe(true)
  })
})
