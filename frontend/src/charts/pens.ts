/** How each start is drawn, in order: colour and dash together, so that neither is needed alone. */
export const PENS: { colour: string; dash: number[]; width: number }[] = [
  { colour: '--ink', dash: [], width: 2.5 },
  { colour: '--orange', dash: [], width: 3 },
  { colour: '--dead', dash: [10, 4], width: 2.5 },
  { colour: '--watch', dash: [3, 3], width: 2.5 },
  { colour: '--fail', dash: [14, 4, 3, 4], width: 2 },
  { colour: '--soft', dash: [2, 6], width: 2 },
]
