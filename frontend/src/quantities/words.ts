/** Short names of the trade that stay in capitals. */
const CAPITALS = new Set([
  'rla',
  'lra',
  'fla',
  'mca',
  'mocp',
  'va',
  'id',
  'hp',
  'ptc',
  'emf',
  'uf',
  'cfm',
  'kw',
])
const WORDS: Record<string, string> = {
  bcsc: 'branch circuit selection current',
  mcc: 'maximum continuous current',
  hz: 'hertz',
  ry: 'relay',
}
/** Units at the end of a field's name. */
const UNITS = /_(a|v|uf|ohm|w|f|min|s|pct|j|ma|hz|ft|in|psig|megohm|kw|va|c|px|db)$/

/** A field's path as a person says it: "compressors[0].lra_a" is "Compressor 1, LRA". */
export function fieldWords(path: string): string {
  return path
    .split('.')
    .map((step) => {
      const [, name = step, index] = /^(\w+)\[(\d+)\]$/.exec(step) ?? []
      const bare = name.replace(UNITS, '')
      const words = bare
        .split('_')
        .map((w) => (CAPITALS.has(w) ? w.toUpperCase() : (WORDS[w] ?? w)))
        .join(' ')
      return index === undefined ? words : `${words.replace(/s$/, '')} ${Number(index) + 1}`
    })
    .map((w, i) => (i === 0 ? w.charAt(0).toUpperCase() + w.slice(1) : w))
    .join(', ')
}
