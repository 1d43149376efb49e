import { useEffect, useRef } from 'react'

/** Keys are what single keys do, and what the help says of them. */
export type Keys = Record<string, () => void>

/** useKeys listens while the component is shown; not while somebody types. */
export function useKeys(keys: Keys) {
  const now = useRef(keys)
  now.current = keys
  useEffect(() => {
    const hear = (e: KeyboardEvent) => {
      const at = e.target as HTMLElement
      if (e.ctrlKey || e.metaKey || e.altKey || at.closest('input:not([type=checkbox]):not([type=range]), select, textarea')) return
      const act = now.current[e.key]
      if (!act) return
      e.preventDefault()
      act()
    }
    window.addEventListener('keydown', hear)
    return () => window.removeEventListener('keydown', hear)
  }, [])
}
