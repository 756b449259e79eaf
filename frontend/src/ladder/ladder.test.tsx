import { fireEvent, render, screen } from '@testing-library/react'
import { describe, expect, it, vi } from 'vitest'
import type { Rung } from '../api/client'
import { Ladder } from './ladder'

const rung = (change: Partial<Rung>): Rung => ({
  key: 'plate',
  number: 2,
  title: 'Plate',
  status: 'energized',
  danger: 'none',
  contacts: [{ word: 'Plate read', closed: true, why: '' }],
  load: '230 V',
  verdict: 'pass',
  next_step: null,
  next_is_live: false,
  ...change,
})

describe('a ladder', () => {
  it('says in words what its symbols show', () => {
    render(<Ladder rungs={[rung({})]} selected={null} onOpen={vi.fn()} />)
    const row = screen.getByRole('button')
    expect(row.dataset.energized).toBe('true')
    expect(row.textContent).toContain('closed')
    expect(row.textContent).toContain('Pass')
  })

  it('shows no verdict on a rung that has nothing to judge yet', () => {
    render(
      <Ladder rungs={[rung({ status: 'ready', verdict: 'unknown' })]} selected={null} onOpen={vi.fn()} />,
    )
    expect(screen.queryByText('Unknown')).toBeNull()
  })

  it('opens the rung that is pressed', () => {
    const open = vi.fn()
    render(<Ladder rungs={[rung({}), rung({ key: 'prove', number: 9 })]} selected="plate" onOpen={open} />)
    fireEvent.click(screen.getAllByRole('button')[1] as HTMLElement)
    expect(open).toHaveBeenCalledWith('prove')
  })
})
