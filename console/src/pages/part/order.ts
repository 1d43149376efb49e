import { useState } from 'react'
import { post, type Part } from '../../shared/api'

/** useOrder orders something to be done to a part, from the revision that is shown; each makes a revision of its own. */
export function useOrder(part: Part, shown: number, ordered: () => void) {
  const [error, setError] = useState<unknown>()
  const [busy, setBusy] = useState(false)
  async function send(order: { steps?: string[]; method?: string; recast?: string[] }) {
    setBusy(true)
    setError(undefined)
    try {
      await post(`/parts/${part.id}/repair`, { from: shown, ...order })
      ordered()
    } catch (problem) {
      setError(problem)
    }
    setBusy(false)
  }
  return { send, step: (...steps: string[]) => send({ steps }), error, off: busy || part.state === 'waiting' || part.state === 'working' }
}
