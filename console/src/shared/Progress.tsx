import { useRef } from 'react'
import { remaining } from './words'

/** Progress is a bar with the time left, told by how fast it went while it was seen. */
export function Progress({ done, now = Date.now() }: { done: number; now?: number }) {
  const first = useRef({ done, at: now })
  if (done < first.current.done) first.current = { done, at: now } // something else began
  const { done: from, at } = first.current
  const left = done > from + 0.03 ? remaining((done - from) / (1 - from), (now - at) / 1000) : ''
  return (
    <span className="flex flex-1 items-center gap-2">
      <progress className="progress progress-secondary min-w-16 flex-1" value={done} max={1} aria-label="progress" />
      {left && <span className="whitespace-nowrap text-xs tabular-nums opacity-70">{left}</span>}
    </span>
  )
}
