import { useInfiniteQuery, useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { get, pictureOf, type Found, type Kind } from '../../shared/api'
import { Mark } from '../../shared/Mark'
import { Trouble } from '../../shared/Trouble'
import { outcome, size, when } from '../../shared/words'
import { useAddress } from '../part/address'

const words = ['q', 'finding', 'trouble', 'verdict', 'mended', 'customer', 'format', 'process', 'signed', 'least', 'most', 'since', 'until'] as const

/** verdicts that may be looked for: the newest revision's, and whether it is the file as received. */
const verdicts = [[' ', 'any'], ['pass ', 'pass'], ['pass no', 'pass as received'], ['pass yes', 'pass once mended'], ['repair ', 'repair'], ['hold ', 'hold'], ['reject ', 'reject']] as const

/** Search finds any part again; what it looks for stands in the address. */
export function Search() {
  const { search, go } = useAddress()
  const asked = words.map((w) => [w, search.get(w) ?? ''] as const).filter(([, v]) => v)
  const query = new URLSearchParams(asked.map(([w, v]) => [w, v]))
  const kinds = useQuery({ queryKey: ['kinds'], queryFn: () => get<Kind[]>('/kinds'), staleTime: Infinity })
  const found = useInfiniteQuery({
    queryKey: ['search', query.toString()],
    queryFn: ({ pageParam }) => get<Found[]>(`/search?${query}${pageParam ? `&before=${pageParam}` : ''}`),
    initialPageParam: 0,
    getNextPageParam: (last) => (last.length === 50 ? last.at(-1)!.id : undefined),
  })
  const list = found.data?.pages.flat() ?? []
  const field = (name: (typeof words)[number], label: string, kind = 'text', wide = 'w-28') => (
    <label className="text-xs">
      <span className="block opacity-70">{label}</span>
      <input className={`input input-sm ${wide}`} type={kind} aria-label={label} value={search.get(name) ?? ''} onChange={(e) => go({ [name]: e.target.value || undefined })} />
    </label>
  )
  return (
    <div className="mx-auto max-w-7xl p-6">
      <h1 className="mb-3 text-xl font-semibold">Search</h1>
      <div className="flex flex-wrap items-end gap-2" role="search">
        {field('q', 'words of names, customers, notes, answers', 'search', 'w-64')}
        <label className="text-xs">
          <span className="block opacity-70">found as received</span>
          <select className="select select-sm w-40" aria-label="finding" value={search.get('finding') ?? ''} onChange={(e) => go({ finding: e.target.value || undefined })}>
            <option value="">anything</option>
            {kinds.data?.map((k) => <option key={k.name} value={k.name}>{k.title}</option>)}
          </select>
        </label>
        <label className="text-xs">
          <span className="block opacity-70">verdict now</span>
          <select className="select select-sm w-36" aria-label="verdict" value={`${search.get('verdict') ?? ''} ${search.get('mended') ?? ''}`} onChange={(e) => { const [verdict, mended] = e.target.value.split(' '); go({ verdict: verdict || undefined, mended: mended || undefined }) }}>
            {verdicts.map(([value, says]) => <option key={value} value={value}>{says}</option>)}
          </select>
        </label>
        <label className="text-xs">
          <span className="block opacity-70">sign-off</span>
          <select className="select select-sm w-28" aria-label="sign-off" value={search.get('signed') ?? ''} onChange={(e) => go({ signed: e.target.value || undefined })}>
            <option value="">any</option>
            {['proposed', 'approved', 'sent back'].map((v) => <option key={v}>{v}</option>)}
          </select>
        </label>
        {search.get('customer') && field('customer', 'customer', 'text', 'w-40')}
        {search.get('format') && field('format', 'format', 'text', 'w-20')}
        {field('least', 'side from, mm', 'number', 'w-24')}
        {field('most', 'to, mm', 'number', 'w-24')}
        {field('since', 'received from', 'date', 'w-32')}
        {field('until', 'up to', 'date', 'w-32')}
      </div>
      <Trouble error={found.error} retry={() => found.refetch()} />
      {found.data && list.length === 0 && <p className="mt-6 opacity-70">Nothing was found. Words of fewer than three letters are passed over.</p>}
      <ul className="mt-4 divide-y divide-base-300 rounded-box border border-base-300 bg-base-100" aria-label="Found">
        {list.map((p) => (
          <li key={p.id} data-hit={p.id}>
            <Link to={`/parts/${p.id}`} className="grid grid-cols-[5rem_1fr_8rem_13rem_7rem] items-center gap-3 px-4 py-2 text-sm hover:bg-base-200">
              <span className="grid h-12 place-items-center">{p.has_picture && <img src={pictureOf(p)} alt="" className="max-h-12" loading="lazy" />}</span>
              <span className="min-w-0">
                <span className="block truncate font-medium">{p.name}</span>
                <span className="block truncate opacity-70">{p.batch_name}, {p.customer}</span>
              </span>
              <Mark outcome={outcome(p)} />
              <span className="tabular-nums">{p.triangles > 0 && size(p.size_mm)}</span>
              <span className="min-w-0 truncate opacity-70">{when(p.created_at).slice(0, 10)}</span>
            </Link>
          </li>
        ))}
      </ul>
      {found.hasNextPage && <button className="btn btn-sm mt-3" onClick={() => found.fetchNextPage()}>Show earlier ones</button>}
    </div>
  )
}
