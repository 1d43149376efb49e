import { useQuery } from '@tanstack/react-query'
import { address, get, type Kind } from '../../shared/api'
import { SeverityMark } from '../../shared/Mark'
import { Trouble } from '../../shared/Trouble'

export const useKinds = () => useQuery({ queryKey: ['kinds'], queryFn: () => get<Kind[]>('/kinds'), staleTime: Infinity })

export function Glossary() {
  const kinds = useKinds()
  return (
    <div className="mx-auto max-w-4xl p-6">
      <h1 className="mb-4 text-xl font-semibold">Findings explained</h1>
      <Trouble error={kinds.error} retry={() => kinds.refetch()} />
      <div className="space-y-4">
        {kinds.data?.map((k) => (
          <article key={k.name} id={k.name} className="rounded-box border border-base-300 bg-base-100 p-5">
            <h2 className="flex items-center gap-2 font-semibold">
              <SeverityMark severity={k.severity} /> {k.title}
              <code className="ml-auto text-xs font-normal opacity-60">{k.name}</code>
            </h2>
            <Explanation kind={k} />
          </article>
        ))}
      </div>
    </div>
  )
}

/** Explanation says what a kind of finding is, what it does to a print, and what is done. */
export function Explanation({ kind, narrow }: { kind: Kind; narrow?: boolean }) {
  return (
    <div className="mt-2 flex flex-wrap items-start gap-4">
      <dl className={`min-w-64 flex-1 text-sm ${narrow ? '[&>dd]:mb-2 [&>dt]:text-xs' : 'grid grid-cols-[7rem_1fr] gap-y-1.5'}`}>
        <dt className="opacity-60">What it is</dt>
        <dd>{kind.what}</dd>
        <dt className="opacity-60">On a print</dt>
        <dd>{kind.harm}</dd>
        <dt className="opacity-60">Veneer</dt>
        <dd>{kind.action}</dd>
      </dl>
      <img src={address(`/kinds/${kind.name}/sketch`)} width={236} height={82} alt={`${kind.title}, before and after`} loading="lazy" />
    </div>
  )
}
