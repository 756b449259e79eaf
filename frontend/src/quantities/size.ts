/** A conductor size as it is spoken: 10 AWG, 250 kcmil. */
export function sizeWord(size: string): string {
  return Number(size) > 100 ? `${size} kcmil` : `${size} AWG`
}
