import { useEffect, useRef, useState } from 'react'
import { address } from './api'

/**
 * useLive follows a stream of server-sent events while the component is shown.
 * The browser opens a broken stream again by itself; `lost` is true meanwhile.
 */
export function useLive<T>(path: string | undefined, event: string, see: (data: T) => void): { lost: boolean } {
  const [lost, setLost] = useState(false)
  const now = useRef(see)
  now.current = see
  useEffect(() => {
    if (path === undefined) return
    let source: EventSource | undefined
    let retry: ReturnType<typeof setTimeout> | undefined
    const open = () => {
      source = new EventSource(address(path))
      source.addEventListener(event, (e) => {
        setLost(false)
        now.current(JSON.parse((e as MessageEvent<string>).data) as T)
      })
      source.onopen = () => setLost(false)
      source.onerror = () => {
        setLost(true)
        if (source?.readyState === EventSource.CLOSED) retry = setTimeout(open, 2000)
      }
    }
    open()
    return () => {
      source?.close()
      clearTimeout(retry)
    }
  }, [path, event])
  return { lost }
}
