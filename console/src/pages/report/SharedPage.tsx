import { useQuery } from '@tanstack/react-query'
import { useParams } from 'react-router'
import { address, get, type PartReport } from '../../shared/api'
import { Trouble } from '../../shared/Trouble'
import { ReportArticle } from './ReportPage'

/** SharedPage shows one part's report to whoever has its address, with no account. */
export function SharedPage() {
  const link = encodeURIComponent(useParams().link ?? '')
  const query = useQuery({ queryKey: ['shared', link], queryFn: () => get<PartReport>(`/shared/${link}`), retry: false })
  return (
    <div className="min-h-full bg-base-200 text-base-content">
      <header className="flex h-12 items-center bg-brand px-5 font-semibold tracking-wide text-brand-content">Printability report</header>
      <div className="mx-auto max-w-4xl p-6">
        {query.error && <Trouble error={query.error.message === 'there is no such record' ? 'This address has ended. Ask the bureau for a new one.' : query.error} />}
        {query.data && (
          <>
            <ReportArticle report={query.data} received={address(`/shared/${link}/files/picture?received=1`)} now={address(`/shared/${link}/files/picture`)} />
            <div className="mt-4 flex gap-2">
              <a className="btn btn-primary btn-sm" href={address(`/shared/${link}/files/file`)} download>Download the file</a>
              <a className="btn btn-sm" href={address(`/shared/${link}/report.pdf`)} target="_blank" rel="noreferrer">This report as PDF</a>
            </div>
          </>
        )}
      </div>
    </div>
  )
}
