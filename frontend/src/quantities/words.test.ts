import { describe, expect, it } from 'vitest'
import { fieldWords } from './words'

describe('field words', () => {
  it.each([
    ['compressors[0].lra_a', 'Compressor 1, LRA'],
    ['mca_a', 'MCA'],
    ['record.sources', 'Record, sources'],
    ['without_make_safe', 'Without make safe'],
    ['run_cap_uf', 'Run cap'],
  ])('says %s as %s', (path, words) => {
    expect(fieldWords(path)).toBe(words)
  })
})
