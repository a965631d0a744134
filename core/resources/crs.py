"""Makes crs.csv and datums.csv from the EPSG dataset as PROJ ships it: python3 crs.py (Debian's python3-pyproj).

Kept are projected and two-dimensional geographic CRS whose method is known here and whose datum comes to WGS 84 by a published
translation or Helmert transformation (the first that PROJ would take for the area of use when it has no grids), or by nothing.
"""
import csv
import json
import math
import os
import sys
import warnings

import pyproj
from pyproj.enums import PJType

warnings.filterwarnings('ignore')
HERE = os.path.dirname(os.path.abspath(__file__))

METHODS = {
    9807: 'tm', 9801: 'lcc', 9802: 'lcc', 9804: 'merc', 9805: 'merc', 1024: 'webmercator', 9810: 'stere', 9829: 'stere', 9809: 'sterea', 9820: 'laea', 1027: 'laea',
    9822: 'albers', 9835: 'cea', 9834: 'cea', 1078: 'eqearth', 9812: 'omerc', 9815: 'omercb', 1041: 'krovak',
}
PARAMETERS = {
    8801: 'lat0', 8802: 'lon0', 8805: 'k', 8806: 'x0', 8807: 'y0', 8821: 'lat0', 8822: 'lon0', 8823: 'par1', 8824: 'par2', 8826: 'x0', 8827: 'y0',
    8832: 'par1', 8833: 'lon0', 8811: 'lat0', 8812: 'lon0', 8813: 'azimuth', 8814: 'skew', 8815: 'k', 8816: 'x0', 8817: 'y0',
    1036: 'azimuth', 8818: 'par1', 8819: 'k',
}
NUMBERS = ['lat0', 'lon0', 'par1', 'par2', 'k', 'x0', 'y0', 'azimuth', 'skew']
HELMERT = {
    9603: 'pv', 1031: 'pv', 1035: 'pv', 9606: 'pv', 1033: 'pv', 1037: 'pv', 9607: 'cf', 1032: 'cf', 1038: 'cf',
    9636: 'cf', 1034: 'cf', 1039: 'cf', 1061: 'pv', 1062: 'pv', 1063: 'pv',
}
SHIFT = {8605: 'dx', 8606: 'dy', 8607: 'dz', 8608: 'rx', 8609: 'ry', 8610: 'rz', 8611: 'ds', 8617: 'px', 8618: 'py', 8667: 'pz'}


def number(value):
    return repr(float(f'{value:.15g}')).removesuffix('.0')


def si(parameter):
    """Angles in degrees, lengths in metres, scales as they are."""
    unit = parameter.get('unit', 'unity')
    value = float(parameter['value'])
    if isinstance(unit, dict):
        factor = unit['conversion_factor']
        return value * factor * 180 / math.pi if unit['type'] == 'AngularUnit' else value * factor
    return value


def helmert(steps):
    """The shift of a chain of steps, position vector: metres, arc seconds, parts per million; None where it is no single one."""
    found = None
    for step in steps:
        if step['type'] == 'Conversion':
            continue
        method = step['method'].get('id', {}).get('code')
        if method not in HELMERT:
            return None
        shift = dict.fromkeys(['dx', 'dy', 'dz', 'rx', 'ry', 'rz', 'ds', 'px', 'py', 'pz'], 0.0)
        for parameter in step['parameters']:
            name = SHIFT.get(parameter.get('id', {}).get('code'))
            if name is None:
                return None
            value = si(parameter)
            if name in ('rx', 'ry', 'rz'):
                value *= 3600 * (-1 if HELMERT[method] == 'cf' else 1)
            if name == 'ds':
                unit = parameter['unit']
                value = float(parameter['value']) * (unit['conversion_factor'] if isinstance(unit, dict) else 1) * 1e6
            shift[name] = value
        # about a point of its own (Molodensky-Badekas)
        p = [shift.pop('px'), shift.pop('py'), shift.pop('pz')]
        rx, ry, rz = (math.radians(shift[r] / 3600) for r in ('rx', 'ry', 'rz'))
        s = 1 + shift['ds'] * 1e-6
        turned = [p[0] - rz * p[1] + ry * p[2], rz * p[0] + p[1] - rx * p[2], -ry * p[0] + rx * p[1] + p[2]]
        for axis, name in enumerate(('dx', 'dy', 'dz')):
            shift[name] += p[axis] - s * turned[axis]
        isNull = not any(shift.values())
        if not isNull and found and any(found.values()):
            return None
        if found is None or not isNull:
            found = shift
    return found


def chain(transformer):
    told = transformer.to_json_dict()
    return told.get('steps', [told])


memo = {}


def datum(base, area):
    """Key and row of the way from a geographic CRS to WGS 84."""
    if base is None:
        return None
    key = (base.to_authority(), area.bounds if area else None)
    if key not in memo:
        memo[key] = find(base, area)
    return memo[key]


def find(base, area):
    code = base.to_authority()
    if code is None or code[0] != 'EPSG':
        return None
    shape = [number(base.ellipsoid.semi_major_metre), number(base.ellipsoid.inverse_flattening or 0)]
    if code[1] == '4326':
        return ['4326', 'WGS 84', *shape, *['0'] * 7, '0', '', base.datum.name]
    interest = None
    if area:
        west, south, east, north = area.bounds
        # across 180° the wider side counts
        west, east = (west, east) if east >= west else (west, 180) if 180 - west > east + 180 else (-180, east)
        interest = pyproj.transformer.AreaOfInterest(west, south, east, north)
    candidates = []
    for place in ([interest, None] if interest else [None]):
        try:
            candidates += pyproj.transformer.TransformerGroup(base, 'EPSG:4326', always_xy=True, area_of_interest=place, allow_ballpark=False).transformers
        except (pyproj.exceptions.ProjError, IndexError):
            # a grid that is not there
            print('no way', code, place, file=sys.stderr)
    for transformer in candidates:
        steps = chain(transformer)
        shift = helmert(steps)
        if shift is None:
            continue
        accuracy = transformer.accuracy if transformer.accuracy >= 0 else ''
        names = [step['id']['code'] for step in steps if step['type'] != 'Conversion' and step.get('id', {}).get('authority') == 'EPSG']
        used = [step['id']['code'] for step in steps if step['type'] != 'Conversion' and step.get('id', {}).get('authority') == 'EPSG' and any(float(p['value']) for p in step['parameters'])]
        operation = (used or names or [''])[0]
        return [f'{code[1]}/{operation}', base.name, *shape, *[number(shift[name]) for name in ('dx', 'dy', 'dz', 'rx', 'ry', 'rz', 'ds')], number(accuracy) if accuracy != '' else '', str(operation), base.datum.name]
    name = base.datum.name.lower()
    if name.startswith('not specified') or name.startswith('unknown'):
        # no place on Earth is told by it: latitudes are taken as they are
        return [f'{code[1]}/', base.name, *shape, *['0'] * 7, '', '', base.datum.name]
    return None


def greenwich(base):
    meridian = base.prime_meridian
    return meridian.longitude * meridian.unit_conversion_factor * 180 / math.pi


def axes(crs):
    return [(axis.direction, axis.unit_conversion_factor) for axis in crs.axis_info]


rows, datums, missed = [], {}, {}
for info in pyproj.database.query_crs_info(auth_name='EPSG', pj_types=[PJType.PROJECTED_CRS, PJType.GEOGRAPHIC_2D_CRS], allow_deprecated=True):
    crs = pyproj.CRS.from_epsg(int(info.code))
    base = crs.geodetic_crs
    numbers = dict.fromkeys(NUMBERS, '')
    unit = 1.0
    if crs.is_geographic:
        if any(abs(factor - math.pi / 180) > 1e-12 for _, factor in axes(crs)) or greenwich(base) != 0:
            continue
        method = 'geographic'
    else:
        operation = crs.coordinate_operation.to_json_dict()
        method = METHODS.get(operation['method'].get('id', {}).get('code'))
        number_of_method = operation['method'].get('id', {}).get('code')
        if method is None:
            missed[operation['method']['name']] = missed.get(operation['method']['name'], 0) + 1
            continue
        directions = {direction for direction, _ in axes(crs)}
        isPolar = method in ('stere', 'laea')
        if not isPolar and directions != {'east', 'north'}:
            continue
        unit = axes(crs)[0][1]
        for parameter in operation['parameters']:
            name = PARAMETERS.get(parameter['id']['code'])
            if name is None:
                sys.exit(f'{info.code}: {parameter}')
            numbers[name] = si(parameter)
        if numbers['lon0'] != '':
            numbers['lon0'] += greenwich(base)
        if number_of_method == 9829:
            numbers['lat0'] = numbers['par1']
            numbers['par1'] = ''
        if method == 'sterea' and abs(numbers['lat0']) == 90:
            method = 'stere'
    if greenwich(base) != 0:
        # the same datum counted from Greenwich
        told = base.to_json_dict()
        twin = [other for other in pyproj.database.query_crs_info(auth_name='EPSG', pj_types=[PJType.GEOGRAPHIC_2D_CRS], allow_deprecated=False) if other.name == base.name.split(' (')[0]]
        base = pyproj.CRS.from_epsg(int(twin[0].code)) if twin else None
    row = datum(base, info.area_of_use)
    if row is None:
        missed[base.name if base else '?'] = missed.get(base.name if base else '?', 0) + 1
        continue
    datums[row[0]] = row
    rows.append([info.code, info.name, method, row[0], number(unit), *['' if numbers[name] == '' else number(numbers[name]) for name in NUMBERS]])

with open(f'{HERE}/datums.csv', 'w', newline='') as file:
    out = csv.writer(file, lineterminator='\n')
    out.writerow(['key', 'name', 'axis', 'inverse-flattening', 'dx', 'dy', 'dz', 'rx', 'ry', 'rz', 'ds', 'accuracy', 'operation', 'datum'])
    out.writerows(sorted(datums.values(), key=lambda row: [int(part or 0) for part in row[0].split('/')] if '/' in row[0] else [int(row[0]), 0]))
with open(f'{HERE}/crs.csv', 'w', newline='') as file:
    out = csv.writer(file, lineterminator='\n')
    out.writerow(['code', 'name', 'method', 'datum', 'unit', *NUMBERS])
    out.writerows(sorted(rows, key=lambda row: int(row[0])))
print(len(rows), 'CRS,', len(datums), 'ways to WGS 84; left out:', sorted(missed.items(), key=lambda one: -one[1])[:60])
