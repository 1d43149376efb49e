import { useSearchParams } from 'react-router'

/** Cut is a section as the address has it: an axis, where on it in mm, and which side is shown. */
export interface CutAt {
  axis: 'x' | 'y' | 'z'
  at: number
  flip: boolean
}

export function readCut(text: string | null): CutAt | undefined {
  const found = /^([xyz])(-?\d+(?:\.\d+)?)(f?)$/.exec(text ?? '')
  return found ? { axis: found[1] as CutAt['axis'], at: Number(found[2]), flip: found[3] === 'f' } : undefined
}

export const writeCut = (cut: CutAt) => `${cut.axis}${+cut.at.toFixed(4)}${cut.flip ? 'f' : ''}`

/** useAddress is what stands behind the question mark, and a way to change some of it in place. */
export function useAddress() {
  const [search, setSearch] = useSearchParams()
  const go = (to: Record<string, string | number | undefined>) =>
    setSearch((old) => {
      const next = new URLSearchParams(old)
      for (const [key, value] of Object.entries(to)) value === undefined ? next.delete(key) : next.set(key, String(value))
      return next
    }, { replace: true })
  return { search, go }
}
