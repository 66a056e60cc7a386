/** What `isomeric new` writes: a whole study of the two files beside it, every line explained. */
export const firstStudyText = `# yaml-language-server: $schema=./study.schema.json
# (By that line editors complete this file, and mark what is wrong, while you type.)

# The title: it stands on every map and on the report.
study: Households without a car on the Ombrey Flats

# The study area. Here all areas of a layer; some units of it by code would be
#   units:
#     of: wards
#     code: ['020401', '020402']
# and a rectangle in degrees
#   box: { west: -29.9, south: 45.5, east: -29.7, north: 45.6 }
area:
  layer: wards

# One CRS for everything that is prepared: a code (EPSG:32626), a name, a .prj file in this folder,
# or “best”: the one that suits the area, chosen when it is known, with the reason.
crs: best

# What there is. A “file” lies in this folder; services are named under “sources:” and asked with “from:”.
gather:
  wards:
    file: wards.geojson
    citation: Boundary Office of Teskaria (2024), wards.
  households:
    file: households.csv
    citation: Statistics Office of Teskaria (2024), households.

# What is done to each layer, step by step. What stands here is delivered, in the CRS above.
prepare:
  wards:
    # What lies in the area; what reaches across its border is cut.
    - clip: area
    # One row to one feature. On the left the field of wards, on the right that of the table.
    - join: households
      on: code = ward
    # A new field. Write expressions on lines of their own: in { } a comma would end them.
    - compute:
        no_car_share: share(no_car, households)

# What must hold: valid geometry, codes that are there once, a condition for every row.
check:
  wards: [valid, 'key: code', no_car_share between 0 and 100]

# Readable titles and units of fields, for maps, report and data dictionary.
titles:
  no_car_share:
    title: Households without a car
    unit: per cent of all households

# Maps: a layer, the field that colours it, how it is divided into classes, and by which colours.
draw:
  no-car:
    title: Households without a car
    layer: wards
    colour by: no_car_share
    classes: 5 natural
    colours: lagoon
`;
