import { fireEvent, render, screen } from '@testing-library/react'
import { useState } from 'react'
import { describe, expect, it, vi } from 'vitest'
import { FigureField } from './field'
import { FigureScope, Form, NotComputed, useFigures } from './figures'
import { ReadOnlyRoom } from './read-only'

function Entry({ onSend, closed = false }: { onSend: () => void; closed?: boolean }) {
  const [amps, setAmps] = useState('')
  return (
    <ReadOnlyRoom on={closed}>
      <Form label="Entry" onSubmit={onSend}>
        <FigureField label="Amps" unit="A" value={amps} onChange={setAmps} />
        <button type="submit">Save</button>
      </Form>
    </ReadOnlyRoom>
  )
}

function Computed({ onValue }: { onValue: (whole: boolean) => void }) {
  const figures = useFigures()
  const [text, setText] = useState('')
  onValue(figures.whole)
  return (
    <FigureScope figures={figures}>
      <FigureField label="Length" unit="ft" many value={text} onChange={setText} />
      <NotComputed figures={figures} />
    </FigureScope>
  )
}

describe('a form of figures', () => {
  it('is not sent while one of them cannot be read, and says so at the field', () => {
    const send = vi.fn()
    render(<Entry onSend={send} />)
    const field = screen.getByLabelText('Amps')
    fireEvent.change(field, { target: { value: '35.4 V' } })
    fireEvent.click(screen.getByText('Save'))
    expect(send).not.toHaveBeenCalled()
    fireEvent.blur(field)
    expect(screen.getByRole('alert').textContent).toContain('in A')
    fireEvent.change(field, { target: { value: '35.4a' } })
    fireEvent.click(screen.getByText('Save'))
    expect(send).toHaveBeenCalledOnce()
  })

  it('does not scold a figure that is still being typed', () => {
    render(<Entry onSend={() => undefined} />)
    const field = screen.getByLabelText('Amps')
    fireEvent.focus(field)
    fireEvent.change(field, { target: { value: '-' } })
    expect(screen.queryByRole('alert')).toBeNull()
  })

  it('is not there at all on a closed call', () => {
    render(<Entry onSend={() => undefined} closed />)
    expect(screen.queryByLabelText('Amps')).toBeNull()
  })
})

describe('what is computed while it is typed', () => {
  it('is not computed with a figure left out because it could not be read', () => {
    const whole = vi.fn()
    render(<Computed onValue={whole} />)
    expect(whole).toHaveBeenLastCalledWith(true)
    fireEvent.change(screen.getByLabelText('Length'), { target: { value: '310 ft' } })
    expect(whole).toHaveBeenLastCalledWith(false)
    expect(screen.getByRole('status').textContent).toContain('Length')
    fireEvent.change(screen.getByLabelText('Length'), { target: { value: '310' } })
    expect(whole).toHaveBeenLastCalledWith(true)
  })

  it('takes several figures where several are asked for, each whole', () => {
    const whole = vi.fn()
    render(<Computed onValue={whole} />)
    fireEvent.change(screen.getByLabelText('Length'), { target: { value: '17.9 1,313.1' } })
    expect(whole).toHaveBeenLastCalledWith(true)
    fireEvent.change(screen.getByLabelText('Length'), { target: { value: '17.9 x' } })
    expect(whole).toHaveBeenLastCalledWith(false)
  })
})
