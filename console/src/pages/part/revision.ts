import { useState } from 'react'
import { useQuery } from '@tanstack/react-query'
import { get, getBytes, revisionPath, type PartWithRevisions, type ProcessRow, type Report } from '../../shared/api'
import { readView } from '../../viewer/viewdata'

/** useRevision is what is known of one revision of a part: its report, and what it is shown from. */
export function useRevision(part: PartWithRevisions | undefined, number: number) {
  const id = part?.part.id ?? 0
  const revision = part?.revisions.find((r) => r.number === number)
  const checked = revision !== undefined && (revision.verdict as string) !== ''
  const settled = `${number}.${part?.part.unit_set ?? ''}.${JSON.stringify(part?.part.answers)}.${revision?.verdict ?? ''}` // what report and view depend on
  const report = useQuery({ queryKey: ['report', id, settled], queryFn: () => get<Report>(revisionPath(id, number, 'report')), enabled: checked, staleTime: Infinity })
  const readable = checked && report.data?.unread === undefined
  const [wanted, setWanted] = useState<string>() // the heavy revision that all of is wanted of
  const full = !revision?.light || wanted === settled
  const view = useQuery({
    queryKey: ['view', id, settled, full],
    queryFn: async () => readView(await getBytes(revisionPath(id, number, 'view') + (full ? '' : '?light=1'))),
    enabled: checked && readable && report.data !== undefined,
    staleTime: Infinity,
    gcTime: 60_000,
    placeholderData: (old, query) => (query?.queryKey[2] === settled ? old : undefined), // the lighter one, until all is here
  })
  return { revision, checked, readable, report, view, full: full && !view.isPlaceholderData, wantFull: () => setWanted(settled) }
}

export const useProcesses = () => useQuery({ queryKey: ['processes'], queryFn: () => get<ProcessRow[]>('/processes'), staleTime: Infinity })

export const useProcess = (name: string | undefined) => useProcesses().data?.find((p) => p.name === name)
