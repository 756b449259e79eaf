import { describe, expect, it } from 'vitest'
import type { Book } from './book'
import { helpFor } from './book'
import { indexOf, plain } from './find'
import { cutAtTerms } from './termed'

const book: Book = {
  terms: [
    { term: 'RLA', also: ['rated load amps'], meaning: 'A figure for sizing.', page: 'plate' },
    { term: 'FAN', also: [], meaning: 'A terminal.', page: 'parts' },
    { term: 'start kit', also: ['hard-start kit'], meaning: 'More torque.', page: 'aid' },
    { term: 'overload', also: [], meaning: 'A switch that opens when hot.', page: 'dead-tests' },
  ],
  pages: [
    {
      id: 'aid',
      title: 'Aid',
      rung: 'aid',
      lead: 'What it is for.',
      sections: [
        { id: 'relay', title: 'The potential relay', text: '- Its **coil** sees the volts from S to C.' },
      ],
    },
    { id: 'using', title: 'Using', rung: null, lead: '', sections: [] },
  ],
}

describe('cutAtTerms', () => {
  it('loses nothing and repeats nothing, whatever the text', () => {
    for (const text of [
      '',
      'RLA',
      'The RLA is 16.7 A. RLA again.',
      'Two start kits, one overload.',
      'ORLANDO (RLA)',
      '½ RLA²',
    ]) {
      const parts = cutAtTerms(text, book.terms)
      expect(parts.map((p) => (typeof p === 'string' ? p : p.said)).join('')).toBe(text)
    }
  })
  it('marks a word once, its plural too, and no part of another word', () => {
    const said = (text: string) =>
      cutAtTerms(text, book.terms).flatMap((p) => (typeof p === 'string' ? [] : p.said))
    expect(said('The RLA, RLA and rated load amps')).toEqual(['RLA'])
    expect(said('two start kits')).toEqual(['start kits'])
    expect(said('ORLANDO overloaded')).toEqual([])
    expect(said('the fan turns')).toEqual([])
  })
})

describe('the index', () => {
  const find = indexOf(book)
  it('finds a section by the beginning of a word, and a slip of a letter', () => {
    expect(find('poten')[0]?.at).toEqual({ page: 'aid', section: 'relay' })
    expect(find('potental relay')[0]?.at).toEqual({ page: 'aid', section: 'relay' })
  })
  it('finds a word by its other name, and nothing for nonsense', () => {
    expect(find('rated load')[0]?.title).toContain('RLA')
    expect(find('zzzqq')).toEqual([])
  })
  it('reads no Markdown signs aloud', () => {
    expect(plain('- Its **coil** sees\n- `S` to C')).toBe('Its coil sees S to C')
  })
})

describe('help where one stands', () => {
  it('is the page of the rung on a call, and of the place elsewhere', () => {
    expect(helpFor('/calls/3/dead_tests').at.page).toBe('dead-tests')
    expect(helpFor('/calls/3').using).toContain('a-call-is-a-ladder')
    expect(helpFor('/units/4').at.page).toBe('logbook')
    expect(helpFor('/nowhere').at.page).toBe('using')
  })
})
