/** What `isomeric new` writes: a whole, valid study of two files, with every line explained. */
export const newStudyText = `# yaml-language-server: $schema=./study.schema.json
study: A new study

# The study area: units by code, a box in degrees, or all areas of a layer.
area:
  units: { of: districts, code: [D1, D2] }

# One CRS for everything that is prepared: a code, a name, or a .prj or .wkt file in this folder.
crs: EPSG:32626

# Where data come from. Keys are taken from the environment: key: { header: x-key, variable: OFFICE_KEY }
sources:
  boundary-office: { kind: features, at: "http://127.0.0.1:8080/" }

# What to gather. Without “from:”, the file lies in this folder.
gather:
  districts: { from: boundary-office, collection: districts }
  wards: { from: boundary-office, collection: wards }
  housing: { file: housing.csv }

# What to do with each layer, step by step. Everything named here is delivered, in the CRS above.
prepare:
  wards:
    - clip: area
    - join: housing
      on: code = area_code
    - compute: { no_car_share: 100 * households_no_car / households }

# What must hold.
check:
  wards: [valid, "key: code", no_car_share between 0 and 100]

titles:
  no_car_share: { title: Households without a car, unit: per cent of all households }

draw:
  no-car:
    title: Households without a car
    layer: wards
    colour by: no_car_share
    classes: 5 natural
`;
