/** Invented names of the sound: vessels, berths, companies, places. */
export const vessels = ['Ottoline', 'Sable Wren', 'Marit Fen', 'Corvane Star', 'Idle Hope', 'Tamsin Grey', 'Northwend', 'Pale Heron', 'Quill', 'Brackwater', 'Lady Orrin', 'Fennimore', 'Wrack Line', 'Tern of Ulm', 'Hesper', 'Old Margit', 'Blue Anvil', 'Sundry'];
export const companies = ['Corvane Shipping', 'Tarrin Cold Stores', 'Halloway & Dray', 'Orrin Timber', 'Wendle Towage', 'Fenwick Aggregates', 'Marsh End Ferries', 'Brae Chandlery', 'Lothmere Dredging', 'Pell Marine Works'];
export const berths = Array.from({ length: 18 }, (_, i) => `Berth ${i + 1}`);
export const areas = ['north fairway', 'outer bar', 'upper basin', 'Ferry Pier reach', 'south channel', 'Gannet Bank', 'Saltgarth slip', 'east anchorage', 'Timber Pond', 'Corrie Narrows'];
export const gauges = ['Marrowick gauge', 'Ferry Pier gauge', 'Gannet Bank gauge', 'upper basin gauge'];
export const craft = ['pilot boat Wendle', 'launch Corrie', 'tug Sable', 'survey boat Plumb', 'pilot boat Orrin'];
export const subjects = ['noise', 'parking', 'travel', 'moorings', 'gifts', 'open days', 'dust', 'fishing from the pier'];
export const months = ['January', 'February', 'March', 'April', 'May', 'June', 'July', 'August', 'September', 'October', 'November', 'December'];
const first = ['Elin', 'Marta', 'Josef', 'Ida', 'Peder', 'Solveig', 'Amos', 'Greta', 'Ivo', 'Runa', 'Tove', 'Alban', 'Carys', 'Dag', 'Esme', 'Finn', 'Hedda', 'Lorne', 'Maud', 'Nils'];
const last = ['Haldane', 'Brook', 'Vasik', 'Ambler', 'Strand', 'Corbin', 'Eide', 'Fallow', 'Garth', 'Winslade', 'Moe', 'Pryor', 'Quayle', 'Rask', 'Sorrel', 'Tveit', 'Underhay', 'Wick', 'Yarrow', 'Ness'];
/** Forty members of staff with files of their own. */
export const staff = Array.from({ length: 40 }, (_, i) => `${first[i % 20]!} ${last[(i * 7 + Math.floor(i / 20)) % 20]!}`);
