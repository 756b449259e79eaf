import { createContext, type ReactNode, useContext } from 'react'

const ReadOnly = createContext(false)

/** Within this nothing is entered: the rooms of a closed call are there to be read. */
export function ReadOnlyRoom({ on, children }: { on: boolean; children: ReactNode }) {
  return <ReadOnly.Provider value={on}>{children}</ReadOnly.Provider>
}

export function useReadOnly(): boolean {
  return useContext(ReadOnly)
}

/** What is only there while something may still be entered. */
export function WhileOpen({ children }: { children: ReactNode }) {
  return useReadOnly() ? null : children
}
