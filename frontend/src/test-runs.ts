/** How often a property is tried: the same cases each run, so that what fails was changed; SEARCH=1 tries others. */
export const runs = (numRuns = 100) => (process.env.SEARCH ? { numRuns: 5 * numRuns } : { numRuns, seed: 1 })
