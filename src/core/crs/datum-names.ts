/** Spellings of one datum, after the words that say nothing are gone. The first is the registry's. */
const groups: readonly (readonly string[])[] = [
  ['wgs 1984', 'wgs 84', 'world 1984', 'wgs84', 'wgs 1984 major auxiliary sphere'],
  ['world 1972', 'wgs 1972', 'wgs 72'],
  ['wgs 72 transit broadcast ephemeris', 'wgs 1972 be', 'wgs 72be'],
  ['world 1966', 'wgs 1966', 'wgs 66'],
  ['european 1989', 'etrs 1989', 'etrs89', 'euref fin'],
  ['north american 1983', 'nad 1983', 'nad83'],
  ['north american 1927', 'nad 1927', 'nad27'],
  ['north american 1927 cgq77', 'nad27 cgq77', 'nad 1927 cgq77', 'north american 1927 cgq 77'],
  ['north american 1927 1976', 'nad27 76', 'nad 1927 definition 1976', 'north american 1927 definition 1976'],
  [
    'nad83 high accuracy reference network',
    'north american 1983 harn',
    'nad 1983 harn',
    'nad83 harn',
    'nad 1983 high accuracy reference network',
  ],
  ['nad83 national spatial 2007', 'nad 1983 nsrs2007', 'nad83 nsrs2007', 'north american 1983 nsrs2007'],
  ['nad83 national spatial 2011', 'nad 1983 2011', 'nad83 2011', 'north american 1983 2011'],
  ['nad83 national spatial pa11', 'nad 1983 pa11', 'nad83 pa11'],
  ['nad83 national spatial ma11', 'nad 1983 ma11', 'nad83 ma11'],
  ['nad83 continuously operating station 1996', 'nad 1983 cors96', 'nad83 cors96'],
  [
    'nad83 canadian spatial',
    'north american 1983 csrs',
    'nad 1983 csrs',
    'nad83 csrs',
    'north american 1983 csrs98',
  ],
  ['north american 1983 csrs version 2', 'north american 1983 csrs v2', 'nad83 csrs v2', 'nad83 csrsv2'],
  ['north american 1983 csrs version 3', 'north american 1983 csrs v3', 'nad83 csrsv3'],
  ['north american 1983 csrs version 4', 'north american 1983 csrs v4', 'nad83 csrsv4'],
  ['north american 1983 csrs version 5', 'north american 1983 csrs v5', 'nad83 csrsv5'],
  ['north american 1983 csrs version 6', 'north american 1983 csrs v6', 'nad83 csrsv6'],
  ['north american 1983 csrs version 7', 'north american 1983 csrs v7', 'nad83 csrsv7'],
  ['ordnance survey great britain 1936', 'osgb 1936', 'osgb36'],
  ['osgb 1970 sn', 'osgb70'],
  ['os sn 1980', 'os sn80'],
  ['osni 1952', 'ireland 1952'],
  ['tm65', 'ireland 1965', 'tm 65'],
  ['1965', 'tm75', 'tm 75', 'geodetic 1965'],
  ['irenet95', 'irenet 1995', 'irenet 95'],
  ['reseau francais 1993 v1', 'rgf 1993', 'rgf93', 'rgf93 v1', 'reseau francais 1993', 'rgf 1993 v1'],
  ['reseau francais 1993 v2', 'rgf93 v2', 'rgf 1993 v2'],
  ['reseau francais 1993 v2b', 'rgf93 v2b', 'rgf 1993 v2b'],
  ['nouvelle triangulation francaise', 'ntf'],
  ['ancienne triangulation francaise', 'atf'],
  ['geocentric australia 1994', 'gda 1994', 'gda94'],
  ['geocentric australia 2020', 'gda 2020', 'gda2020'],
  ['australian 1966', 'agd 1966', 'agd66'],
  ['australian 1984', 'agd 1984', 'agd84'],
  ['european 1950', 'ed 1950', 'ed50'],
  ['european 1950 1977', 'european 1950 ed77', 'ed50 ed77', 'ed 1950 ed77'],
  ['european 1979', 'ed 1979', 'ed79'],
  ['european 1987', 'ed 1987', 'ed87'],
  ['reseau national belge 1950', 'belge 1950', 'bd50'],
  ['reseau national belge 1972', 'belge 1972', 'bd72', 'belgium 1972'],
  ['israel 1993', 'israel', 'israel 93'],
  ['israeli 2005', 'igd05', 'igd 05'],
  ['deutsches hauptdreiecksnetz', 'dhdn', 'deutsche hauptdreiecksnetz'],
  ['potsdam 83', 'pd 83', 'pd83'],
  ['rauenberg 83', 'rd 83', 'rd83'],
  ['deutsche bahn', 'db ref'],
  [
    'militar geographische institut',
    'mgi',
    'militar geographisches institut',
    'militargeographische institut',
  ],
  ['mgi 1901', 'mgi1901'],
  ['amersfoort', 'rijksdriehoeksmeting'],
  ['rikets koordinatsystem 1990', 'rt 1990', 'rt90', 'rikets 1990'],
  ['stockholm 1938', 'rt38', 'rt 1938'],
  ['sweref99', 'sweref 99', 'swedish 1999'],
  ['kartastokoordinaattijarjestelma 1966', 'kkj'],
  ['ngo 1948', 'ngo48'],
  ['monte mario', 'roma 1940 monte mario', 'mm'],
  ['istituto geografico militaire 1995', 'igm95', 'igm 1995', 'italy 1995'],
  ['rete dinamica nazionale 2008', 'rdn2008', 'rdn 2008'],
  ['ch1903', 'ch 1903'],
  ['ch1903+', 'ch1903 plus', 'ch 1903+'],
  ['swiss 1995', 'chtrs95', 'chtrf95', 'chtrs 1995', 'chtrf 1995'],
  ['hungarian 1972', 'hd72', 'hd 1972'],
  ['hungarian 1909', 'hd1909'],
  ['croatian', 'htrs96', 'htrs 1996', 'croatian 1996'],
  ['slovenia 1996', 'slovenia96', 'd96', 'slovenia terrestrial 1996'],
  ['pulkovo 1942', 'pulkovo42', 's 1942', 's42'],
  ['pulkovo 1942 58', 'pulkovo 1942 adj 1958', 'pulkovo 1942 adjusted 1958', 's 1942 58'],
  ['pulkovo 1942 83', 'pulkovo 1942 adj 1983', 'pulkovo 1942 adjusted 1983', 's 1942 83'],
  ['unified trigonometrical cadastral', 's jtsk', 'jtsk', 's jtsk ferro'],
  ['unified trigonometrical cadastral 05', 's jtsk 05', 'jtsk 05'],
  ['etrf2000 poland', 'etrf2000 pl', 'etrs 1989 poland', 'poland etrf2000'],
  ['estonia 1992', 'est92', 'est 1992'],
  ['estonia 1997', 'est97', 'est 1997'],
  ['latvia 1992', 'lks92', 'lks 1992'],
  ['lithuania 1994 etrs89', 'lks94', 'lks 1994', 'lithuania 1994'],
  ['islands 1993', 'isn93', 'islands network 1993', 'isn 1993'],
  ['islands 2004', 'isn2004', 'islands network 2004', 'isn 2004'],
  ['islands 2016', 'isn2016', 'islands network 2016', 'isn 2016'],
  ['luxembourg', 'luref', 'luxembourg 1930'],
  ['greek 1987', 'ggrs87', 'ggrs 1987'],
  ['greek', 'greece'],
  ['turkish national', 'turef'],
  ['cyprus 1993', 'cgrs93', 'cgrs 1993'],
  ['73', 'datum 73', 'lisbon 73'],
  ['lisbon 1937', 'lisbon', 'lisboa'],
  ['lisbon 1890', 'lisboa 1890'],
  ['autonomous regions portugal 2008', 'ptra08', 'ptra 2008'],
  ['red geodesica canarias 1995', 'regcan95', 'regcan 1995', 'regcan'],
  ['madrid 1870', 'madrid 1870 madrid'],
  ['bulgaria 2005', 'bgs2005', 'bgs 2005'],
  ['serbian 1998', 'sref98', 'srb etrs89'],
  ['tokyo', 'tokyo 1918'],
  ['japanese 2000', 'jgd 2000', 'jgd2000'],
  ['japanese 2011', 'jgd 2011', 'jgd2011'],
  ['korean 1985', 'korean datum 1985', 'korea 1985'],
  ['korean 1995', 'korea 1995'],
  ['geocentric korea', 'korea 2000', 'korean 2000'],
  ['china 2000', 'cgcs 2000', 'cgcs2000', 'china coordinate 2000'],
  ['beijing 1954', 'beijing54'],
  ['new beijing', 'new beijing 1954'],
  ['xian 1980', 'xian80'],
  ['hong kong 1980', 'hk 1980', 'hk80'],
  ['hong kong 1963', 'hk 1963'],
  ['taiwan 1967', 'twd 1967', 'twd67'],
  ['taiwan 1997', 'twd 1997', 'twd97'],
  ['vietnam 2000', 'vn 2000', 'vn2000'],
  ['svy21', 'svy 1921', 'svy 21'],
  ['kertau 1968', 'kertau', 'kertau 48'],
  ['kertau rso', 'kertau (rso)'],
  ['malaysia 2000', 'gdm2000', 'gdm 2000'],
  ['timbalai 1948', 'timbalai'],
  ['philippine 1992', 'prs92', 'prs 1992'],
  ['luzon 1911', 'luzon'],
  ['indonesian 1974', 'id74', 'id 1974'],
  ['datum geodesi nasional 1995', 'geodesi nasional 1995', 'dgn95', 'dgn 1995'],
  ['sistem referensi geospasial indonesia 2013', 'srgi2013', 'srgi 2013'],
  ['gunung segara', 'segara'],
  ['new zealand 1949', 'nzgd 1949', 'nzgd49'],
  ['new zealand 2000', 'nzgd 2000', 'nzgd2000'],
  ['chatham islands 1979', 'chatham 1979', 'chatham island 1979'],
  ['chatham islands 1971', 'chatham 1971', 'chatham island 1971'],
  ['ross sea region 2000', 'rsrgd2000', 'rsrgd 2000'],
  ['papua new guinea 1994', 'png94', 'png 1994'],
  ['fiji 1986', 'fiji geodetic 1986'],
  ['south american 1969', 'sad 1969', 'sad69'],
  ['south american 1969 96', 'sad 1969 96', 'sad69 96', 'south american 1969 1996'],
  [
    'provisional south american 1956',
    'prov s american 1956',
    'provisional s american 1956',
    'psad 1956',
    'psad56',
  ],
  [
    'hito xviii 1963',
    'prov s chile 1963',
    'provisional s chile 1963',
    'provisional s chilean 1963',
    'provisional south chilean 1963',
  ],
  ['sistema referencia geocentrico america sur 1995', 'sirgas', 'sirgas 1995', 'sirgas95'],
  ['sistema referencia geocentrico americas 2000', 'sirgas 2000', 'sirgas2000'],
  ['marco geocentrico nacional referencia', 'magna', 'magna sirgas', 'magna 2005'],
  ['marco geodesico nacional bolivia', 'margen'],
  ['posiciones geodesicas argentinas 1994', 'posgar 1994', 'posgar 94', 'posgar'],
  ['posiciones geodesicas argentinas 1998', 'posgar 1998', 'posgar 98'],
  ['posiciones geodesicas argentinas 2007', 'posgar 2007'],
  ['red geodesica venezolana', 'regven'],
  ['red geodesica para mineria en chile', 'red geodesica mineria chile', 'redgeomin'],
  ['corrego alegre 1970 72', 'corrego alegre'],
  ['bogota 1975', 'bogota', 'bogota observatory'],
  ['campo inchauspe', 'inchauspe'],
  ['mexico itrf92', 'mexican 1993', 'itrf 1992 mexico'],
  ['costa rica 2005', 'cr05'],
  ['jamaica 1969', 'jad69', 'jad 1969'],
  ['jamaica 2001', 'jad2001', 'jad 2001'],
  ['bermuda 2000', 'bda2000', 'bda 2000'],
  ['greenland 1996', 'gr96', 'gr 1996'],
  ['faroe 1954', 'fd54', 'fd 1954'],
  ['final 1958', 'fd58', 'fd 1958'],
  ['arc 1950', 'arc50'],
  ['arc 1960', 'arc60'],
  ['hartebeesthoek94', 'hartebeesthoek 1994', 'hartebeesthoek 94', 'hartbeesthoek94'],
  ['cape', 'cape 1950'],
  ['merchich', 'merchich degree'],
  ['nord sahara 1959', 'nord sahara'],
  ['voirol 1875', 'voirol 1875 degree', 'nord algerie'],
  ['egypt 1907', 'old egyptian 1907'],
  ['european libyan 1979', 'eld79', 'european libyan datum 1979', 'eld 1979'],
  ['libyan 2006', 'lgd2006', 'lgd 2006'],
  ['tananarive 1925', 'tananarive'],
  ['congo 1960 pointe noire', 'pointe noire'],
  ['camacupa 1948', 'camacupa'],
  ['reseau rdc 2005', 'rgrdc 2005', 'rgrdc2005'],
  ['ain el abd 1970', 'ain el abd'],
  ['kingdom saudi arabia 2017', 'ksa grf17', 'ksa grf 2017'],
  ['kuwait utility', 'kudams', 'kuwait utility kudams'],
  ['kuwait oil company', 'koc'],
  ['iraqi geospatial', 'igrs'],
  ['nahrwan 1967', 'nahrwan'],
  ['oman 2014', 'ongd14'],
  ['oman 2017', 'ongd17'],
  ['pdo survey 1993', 'pdo 1993', 'psd93'],
  ['trucial coast 1948', 'tc 1948'],
  ['yemen national 1996', 'yemen ngn96', 'yemen ngn 1996'],
  ['kalianpur 1880', 'kalianpur'],
  ['sri lanka 1999', 'sld99', 'sld 1999'],
  ['bhutan national', 'drukref 03', 'drukref'],
  ['parametry zemli 1990', 'pz 90', 'pz 1990'],
  ['geodezicheskaya sistema koordinat 2011', 'gsk 2011'],
  ['ukraine 2000', 'ucs 2000', 'ucs2000'],
  ['monref 1997', 'mongolian 1997'],
  ['reseau antilles francaises 2009', 'rgaf09', 'rgaf 2009'],
  ['reseau reference antilles francaises 1991', 'reseau antilles francaises 1991', 'rraf 1991'],
  ['reseau francais guyane 1995', 'rgfg95', 'rgfg 1995'],
  ['centre spatial guyanais 1967', 'csg67', 'csg 1967'],
  ['reseau reunion 1992', 'rgr92', 'rgr 1992'],
  ['reseau mayotte 2004', 'rgm04', 'rgm 2004'],
  ['reseau saint pierre miquelon 2006', 'rgspm06', 'rgspm 2006'],
  [
    'reseau nouvelle caledonie 91 93',
    'rgnc91 93',
    'rgnc 1991',
    'rgnc 1991 93',
    'reseau nouvelle caledonie 1991',
  ],
  ['reseau polynesie francaise', 'rgpf'],
  ['australian antarctic 1998', 'australian antarctic'],
  ['st helena 2015', 'shgd2015'],
  ['cayman islands 2011', 'cigd11'],
  ['grand cayman 1959', 'gcgd59'],
  ['sister islands 1961', 'sigd61'],
  ['pico nieves 1984', 'pn84', 'pico las nieves', 'pico de las nieves'],
  ['egypt gulf suez s 650 tl', 'egypt gulf of suez s 650 tl'],
];

/** Words that many names have or leave out, whatever the datum. */
const filler = new Set(
  'd gcs datum geodetic geodesique geodésique system systeme reference terrestrial frame network of the de la du des le los las a da do y et in para and trf ensemble'.split(
    ' ',
  ),
);

/** Longest name that is looked at. */
const longest = 200;

function words(name: string): string {
  return name
    .slice(0, longest)
    .normalize('NFD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/[^a-z0-9+]+/g, ' ')
    .trim()
    .split(' ')
    .filter((word) => !filler.has(word))
    .join('');
}

/** A frame that must not become one with the system of its name. */
const apart = new Map([['europeanterrestrialreferenceframe1989', 'etrf89']]);

const keys = new Map<string, string>();
for (const group of groups) {
  const key = words(group[0]);
  for (const name of group) keys.set(words(name), key);
}

const seen = new Map<string, string>();

/**
 * What a datum is called, without what differs between texts: case, accents, underscores, prefixes of dialects, words
 * such as “datum” or “reference frame”, and, by a table, abbreviations (`D_OSGB_1936`, `Ordnance_Survey_of_Great_Britain_1936`).
 * Empty for names that say nothing. Two datums of one key are one only where their ellipsoids agree too.
 */
export function datumKey(name: string): string {
  let key = seen.get(name);
  if (key === undefined) {
    if (seen.size > 20_000) seen.clear();
    const plain = words(name);
    key =
      apart.get(
        name
          .replace(/^D_/, '')
          .toLowerCase()
          .replace(/[^a-z0-9]/g, ''),
      ) ??
      keys.get(plain) ??
      plain;
    if (/^(|unknown|unnamed|unspecified|undefined|notspecified|user(defined)?|custom|local)$/.test(key))
      key = '';
    seen.set(name, key);
  }
  return key;
}
