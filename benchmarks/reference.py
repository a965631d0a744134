"""The same work by numpy, scipy, scikit-image and tifffile, in one long-lived process: a call a line on standard input,
its seconds (or whether results agree) a line on standard output. Two threads read and write, as two of our workers do."""

import json
import resource
import sys
import time
import warnings
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pyproj
import tifffile
from scipy import ndimage, stats
from skimage import feature, measure, segmentation
from sklearn import cluster, discriminant_analysis, ensemble, neighbors, svm

THREADS = 2
ZLIB = dict(compression='zlib', compressionargs={'level': 1}, tile=(256, 256), maxworkers=THREADS)
SINE = np.sin(np.radians(45.0))


def read(path, bands=None):
    """Whole bands; only the tiles of the bands asked for are read."""
    with tifffile.TiffFile(path) as file:
        page = file.pages[0]
        if page.planarconfig == 1 or page.samplesperpixel == 1:
            return page.asarray(maxworkers=THREADS)
        if bands is None:
            return page.asarray(maxworkers=THREADS)
        across, down = -(-page.imagewidth // 256), -(-page.imagelength // 256)
        out = np.empty((len(bands), down * 256, across * 256), page.dtype)
        for k, band in enumerate(bands):
            first = band * across * down
            offsets, counts = page.dataoffsets[first:first + across * down], page.databytecounts[first:first + across * down]
            for data, index in file.filehandle.read_segments(offsets, counts, sort=True):
                tile = page.decode(data, first + index)[0]
                row, col = divmod(index, across)
                out[k, row * 256:row * 256 + 256, col * 256:col * 256 + 256] = tile.reshape(256, 256)
        return out[:, :page.imagelength, :page.imagewidth]


def write(path, data, **more):
    tifffile.imwrite(path, data, **{**ZLIB, **more})


def index(scene, out):
    green, nir = read(scene, [1, 3]).astype(np.float64)
    with np.errstate(invalid='ignore', divide='ignore'):
        value = ((green - nir) / (green + nir)).astype(np.float32)
    write(out, value)


def calibrate(scene, out):
    counts = read(scene)
    result = np.empty(counts.shape, np.float32)
    with np.errstate(invalid='ignore', divide='ignore'):
        for band in range(6):
            value = (2e-5 * counts[band].astype(np.float64) - 0.1) / SINE
            value[counts[band] == 0] = np.nan
            result[band] = value
        value = 1321.0789 / np.log(774.8853 / (3.342e-4 * counts[6].astype(np.float64) + 0.1) + 1)
        value[counts[6] == 0] = np.nan
        result[6] = value
    write(out, result, planarconfig='separate')


def slices(ndwi, out):
    value = read(ndwi)
    upper = value >= LIMIT
    lower = value < LIMIT
    labels, count = ndimage.label(upper)
    more, others = ndimage.label(lower)
    labels = np.where(lower, more + count, labels).astype(np.uint32)
    write(out, labels)
    write(out + '.classes.tif', np.where(upper, 2, np.where(lower, 1, 255)).astype(np.uint8))


def merge(path, out):
    """Another way to cut, by scikit-image: what is compared is the time."""
    bands = read(path, [0, 1, 2, 3]).astype(np.float64)
    bands /= bands.std(axis=(1, 2), keepdims=True)
    write(out, segmentation.felzenszwalb(np.moveaxis(bands, 0, 2), scale=3, sigma=0, min_size=8, channel_axis=2).astype(np.uint32))


def measured(path, out):
    bands = read(path).astype(np.float64)[:6]
    labels = read(path.replace('six', 'blocks'))
    numbers = np.arange(1, labels.max() + 1)
    results = [ndimage.sum_labels(np.ones_like(bands[0]), labels, numbers)]
    results += [work(band, labels, numbers) for work in (ndimage.mean, ndimage.standard_deviation, ndimage.minimum, ndimage.maximum) for band in bands]
    np.save(out + '.npy', np.stack(results))


def filled(path, out):
    codes, labels = read(path).squeeze(), read(path.replace('map', 'large')).squeeze()
    # 6 for what has no value: it has no say
    kinds = 7
    counts = np.bincount((labels.astype(np.int64) * kinds + np.minimum(codes, 6)).ravel(), minlength=(int(labels.max()) + 1) * kinds).reshape(-1, kinds)[:, :6]
    write(out, np.where(counts.any(1), counts.argmax(1), 255).astype(np.uint8)[labels])


def smooth(path, out):
    codes = read(path).squeeze()
    classes = np.setdiff1d(np.unique(codes), [255])
    votes = np.stack([ndimage.correlate1d(ndimage.correlate1d((codes == one).astype(np.uint8), np.ones(5, np.uint8), 0, mode='constant'),
                                          np.ones(5, np.uint8), 1, mode='constant') for one in classes])
    own = np.take_along_axis(votes, np.searchsorted(classes, np.minimum(codes, classes[-1]))[None], 0)[0]
    write(out, np.where((own < votes.max(0)) & (codes != 255), classes[votes.argmax(0)], codes).astype(np.uint8))


def sieve(path, out):
    """Another way, by the nearest that is large: what is compared is the time."""
    codes = read(path).squeeze()
    small = np.zeros(codes.shape, bool)
    for one in np.unique(codes):
        labels, _ = ndimage.label(codes == one)
        small |= (np.bincount(labels.ravel()) < 10)[labels] & (labels > 0)
    rows, columns = ndimage.distance_transform_edt(small, return_distances=False, return_indices=True)
    write(out, codes[rows, columns])


def taught(path, out):
    """Learns from areas and sorts all pixels, by the way that LIMIT says: as scikit-learn and numpy do it, two jobs where there can be."""
    folder = path[:path.rindex('/') + 1]
    bands = read(path)
    pixels = bands.reshape(len(bands), -1).T
    if LIMIT != 6:
        whole = read(folder + 'bands.tif')
        order, x, y = [], [], []
        for level, col, row, width, height in json.load(open(folder + 'areas.json')):
            if level not in order:
                order.append(level)
            some = whole[:, row:row + height, col:col + width].reshape(len(bands), -1).T
            x.append(some)
            y += [order.index(level)] * len(some)
        x, y = np.concatenate(x).astype(float), np.array(y)
        means = np.stack([x[y == k].mean(0) for k in range(len(order))])
    if LIMIT == 1:
        sort = discriminant_analysis.QuadraticDiscriminantAnalysis(priors=np.full(len(order), 1 / len(order))).fit(x, y).predict
    elif LIMIT == 2:
        def sort(some):
            return ((means ** 2).sum(1) - 2 * some @ means.T).argmin(1)
    elif LIMIT == 3:
        directions = means / np.linalg.norm(means, axis=1)[:, None]

        def sort(some):
            return np.arccos(np.clip(some @ directions.T / np.linalg.norm(some, axis=1)[:, None], -1, 1)).argmin(1)
    elif LIMIT == 4:
        sort = ensemble.RandomForestClassifier(50, max_depth=12, n_jobs=THREADS, random_state=1).fit(x[::2], y[::2]).predict
    elif LIMIT in (5, 7):
        # of each class as many, evenly far apart, as ours
        some = np.concatenate([np.flatnonzero(y == k)[np.arange(0, (y == k).sum(), max(1, (y == k).sum() / 250)).astype(int)] for k in range(len(order))])
        if LIMIT == 5:
            sort = neighbors.KNeighborsClassifier(5, n_jobs=THREADS).fit(x[some], y[some]).predict
        else:
            # ours learns probabilities too
            svc = svm.SVC(probability=True, random_state=1).fit(x[some], y[some])

            def sort(some):
                with ThreadPoolExecutor(THREADS) as pool:
                    return np.concatenate(list(pool.map(svc.predict, np.array_split(some, THREADS))))
    else:
        valid = pixels[np.isfinite(pixels).all(1)]
        sample = valid[np.random.default_rng(1).choice(len(valid), min(len(valid), 200_000), False)].astype(float)
        found = cluster.KMeans(8, n_init=1, max_iter=50, random_state=1).fit(sample)
        order = np.argsort(found.cluster_centers_[:, 0])
        places = np.empty(8, int)
        places[order] = range(8)

        def sort(some):
            return places[found.predict(some)]
    codes = []
    for at in range(0, len(pixels), 1 << 18):
        some = pixels[at:at + (1 << 18)].astype(float)
        valid = np.isfinite(some).all(1)
        part = np.full(len(some), 255, np.uint8)
        if valid.any():
            part[valid] = sort(some[valid]) + 1
        codes.append(part)
    write(out, np.concatenate(codes).reshape(bands.shape[1:]))


def statistics(scene, out):
    band = read(scene, [3])[0]
    valid = band[band != 0].astype(np.float64)
    figures = [valid.size, valid.min(), valid.max(), valid.mean(), valid.std()]
    counts, _ = np.histogram(valid, bins=512)
    return figures + np.percentile(valid, [2, 98]).tolist() + [int(counts.max())]


def overviews(scene, out):
    levels = [read(scene, [3])[0].astype(np.float32)]
    while max(levels[-1].shape) > 256:
        level = levels[-1]
        rows, columns = level.shape[0] & ~1, level.shape[1] & ~1
        quarters = level[:rows, :columns].reshape(rows // 2, 2, columns // 2, 2)
        levels.append(quarters.mean(axis=(1, 3), dtype=np.float32))
    with tifffile.TiffWriter(out) as writer:
        for level in levels:
            writer.write(np.rint(level).astype(np.uint16), subfiletype=0 if level is levels[0] else 1, **ZLIB)


def gather(scene, out):
    write(out, read(scene), planarconfig='separate')


def bundle(folder, out):
    """The files of two groups, each group into one."""
    bands = [read(f'{folder}/B{number}.tif') for number in (1, 2, 3, 4, 5, 6)]
    write(out, np.stack([band.reshape(band.shape[-2:]) for band in bands]), planarconfig='separate')
    write(out + '.thermal.tif', read(f'{folder}/B8.tif'))


def grid(path):
    """Upper left corner and pixel of a north-up image in metres."""
    with tifffile.TiffFile(path) as file:
        tags = file.pages[0].tags
        scale, tie = tags['ModelPixelScaleTag'].value, tags['ModelTiepointTag'].value
        return tie[3], tie[4], scale[0], file.pages[0].imagewidth, file.pages[0].imagelength


def positions(source, target, rows):
    """Columns and rows in the source (UTM 32 north) of pixel centres of the target (LAEA Europe), by PROJ."""
    x0, y0, pixel, width, _ = grid(target)
    sx, sy, side, _, _ = grid(source)
    x, y = np.meshgrid(x0 + pixel * (np.arange(width) + 0.5), y0 - pixel * (np.arange(*rows) + 0.5))
    easting, northing = BACK.transform(x, y)
    return (easting - sx) / side, (sy - northing) / side


def reproject(source, out):
    """Cubic splines; their positions from PROJ, exact for every eighth pixel and linear between."""
    band = read(source).astype(np.float32)
    coefficients = ndimage.spline_filter(band, order=3, output=np.float32, mode='nearest')
    target = source.replace('nir.tif', 'moved.tif')
    x0, y0, pixel, width, height = grid(target)
    sx, sy, side, _, _ = grid(source)
    across, down = np.arange(0, width + 8, 8), np.arange(0, height + 8, 8)
    x, y = np.meshgrid(x0 + pixel * (across + 0.5), y0 - pixel * (down + 0.5))
    easting, northing = BACK.transform(x, y)
    column, row = (easting - sx) / side - 0.5, (sy - northing) / side - 0.5
    result = np.zeros((height, width), np.uint16)
    grid_y, grid_x = np.mgrid[0:512, 0:width]

    def part(top):
        rows = min(512, height - top)
        at = [(top + grid_y[:rows]) / 8, grid_x[:rows] / 8]
        c = ndimage.map_coordinates(column, at, order=1)
        r = ndimage.map_coordinates(row, at, order=1)
        value = ndimage.map_coordinates(coefficients, [r, c], order=3, prefilter=False, mode='nearest', output=np.float32)
        inside = (c >= -0.5) & (r >= -0.5) & (c < band.shape[1] - 0.5) & (r < band.shape[0] - 0.5)
        result[top:top + rows] = np.where(inside, np.clip(np.rint(value), 0, 65535), 0)
    with ThreadPoolExecutor(THREADS) as pool:
        list(pool.map(part, range(0, height, 512)))
    write(out, result)


def mosaic(left, out):
    """Both parts on one grid, each weighted by its distance from its own edge up to 50 pixels."""
    one, other = read(left), read(left.replace('left', 'right'))
    shift = int(round((grid(left.replace('left', 'right'))[0] - grid(left)[0]) / grid(left)[2]))
    width = shift + other.shape[1]
    total = np.zeros((one.shape[0], width), np.float64)
    weight = np.zeros_like(total)
    for band, start in ((one, 0), (other, shift)):
        valid = np.pad(band != 0, 1)
        fade = np.clip(ndimage.distance_transform_edt(valid)[1:-1, 1:-1] / 50, 0, 1)
        total[:, start:start + band.shape[1]] += fade * band
        weight[:, start:start + band.shape[1]] += fade
    with np.errstate(invalid='ignore', divide='ignore'):
        write(out, np.where(weight > 0, np.rint(total / weight), 0).astype(np.uint16))


def dark(scene, out):
    counts = read(scene)
    result = np.empty(counts.shape, np.float32)
    for band in range(counts.shape[0]):
        valid = counts[band] != 0
        result[band] = np.where(valid, counts[band] - float(counts[band][valid].min()) if band < 6 else counts[band].astype(np.float64), np.nan)
    write(out, result, planarconfig='separate')


def surface(toa, out):
    """y / (1 + S y), y = gain * rho + offset, by what the air does in each band."""
    reflectance = read(toa)
    with open(toa.replace('toa.tif', 'air.json')) as file:
        air = json.load(file)
    result = np.empty(reflectance.shape, np.float32)
    for band, line in enumerate(air):
        if line is None:
            result[band] = reflectance[band]
            continue
        y = line[0] * reflectance[band].astype(np.float64) + line[1]
        result[band] = y / (1 + line[2] * y)
    write(out, result, planarconfig='separate')


def light(path):
    """Horn's differences and cos i for a sun at 35 degrees, azimuth 150, and the tangent of the slope."""
    z = np.pad(read(path).astype(np.float64), 1, mode='reflect', reflect_type='odd')
    cell = grid(path)[2]
    east = ((z[:-2, 2:] + 2 * z[1:-1, 2:] + z[2:, 2:]) - (z[:-2, :-2] + 2 * z[1:-1, :-2] + z[2:, :-2])) / (8 * cell)
    north = ((z[:-2, :-2] + 2 * z[:-2, 1:-1] + z[:-2, 2:]) - (z[2:, :-2] + 2 * z[2:, 1:-1] + z[2:, 2:])) / (8 * cell)
    steep = east * east + north * north
    zenith, azimuth = np.radians(55.0), np.radians(150.0)
    return (np.cos(zenith) - np.sin(zenith) * (np.sin(azimuth) * east + np.cos(azimuth) * north)) / np.sqrt(1 + steep), np.sqrt(steep)


def shadows(path):
    """Where other ground stands before a sun at 35 degrees, azimuth 150: a front swept over the rows from the south."""
    z, cell = read(path).astype(np.float64), grid(path)[2]
    shift, fall = np.tan(np.radians(30.0)), np.tan(np.radians(35.0)) * cell / np.cos(np.radians(30.0))
    column = np.arange(z.shape[1])
    left = np.floor(column + shift).astype(int)
    part = column + shift - left
    front = np.full(z.shape[1] + 3, -np.inf)
    result = np.empty(z.shape, bool)
    for row in range(z.shape[0] - 1, -1, -1):
        one, other = front[left], front[left + 1]
        with np.errstate(invalid='ignore'):
            over = np.where(np.isinf(one) | np.isinf(other), np.where(part > 0.5, other, one), one + part * (other - one)) - fall
        result[row] = over > z[row]
        front[:z.shape[1]] = np.maximum(z[row], over)
    return result


def terrain(path, out):
    band = read(path).astype(np.float64)
    band[band == 0] = np.nan
    incidence, slope = light(path.replace('nir', 'heights'))
    dark = (incidence < 0.15) | shadows(path.replace('nir', 'heights'))
    use = (slope >= np.tan(np.radians(5.0))) & ~dark & ~np.isnan(band)
    x, y = incidence[use], band[use]
    m = ((x * y).mean() - x.mean() * y.mean()) / ((x * x).mean() - x.mean() ** 2)
    b = y.mean() - m * x.mean()
    c = b / m if m > 0 and b / m > 0 else 0.0
    with np.errstate(invalid='ignore', divide='ignore'):
        even = np.where(dark, band, band * (np.sin(np.radians(35.0)) + c) / (incidence + c))
        write(out, np.where(incidence > 0, even, np.nan).astype(np.float32))


def formula(scene, out):
    blue, green, red, nir = read(scene, [0, 1, 2, 3]).astype(np.float64)
    missing = (blue == 0) | (green == 0) | (red == 0) | (nir == 0)
    with np.errstate(invalid='ignore', divide='ignore'):
        value = 2.5 * (nir - red) / (nir + 6 * red - 7.5 * blue + 1) + 0.1 * green
    value[missing | ~np.isfinite(value)] = np.nan
    write(out, value.astype(np.float32))


def holed(path, smooth):
    """A weighted mean of what is valid."""
    band = read(path).astype(np.float64)
    valid = band != 0
    with np.errstate(invalid='ignore', divide='ignore'):
        value = smooth(band) / smooth(valid.astype(np.float64))
    value[~valid] = np.nan
    return value.astype(np.float32)


def mean(path, out):
    write(out, holed(path, lambda band: ndimage.uniform_filter(band, 7, mode='nearest')))


def gaussian(path, out):
    write(out, holed(path, lambda band: ndimage.gaussian_filter(band, 2, mode='nearest', truncate=4)))


def median(path, out):
    """Of everything: beside nodata it differs from ours, which leaves that out."""
    band = read(path)
    value = ndimage.median_filter(band, 5, mode='nearest').astype(np.float32)
    value[band == 0] = np.nan
    write(out, value)


def relief(path, out):
    """Slope in degrees, and shade from 315 degrees at 45 above the horizon."""
    z = np.pad(read(path).astype(np.float64), 1, mode='reflect', reflect_type='odd')
    cell = grid(path)[2]
    east = ((z[:-2, 2:] + 2 * z[1:-1, 2:] + z[2:, 2:]) - (z[:-2, :-2] + 2 * z[1:-1, :-2] + z[2:, :-2])) / (8 * cell)
    north = ((z[:-2, :-2] + 2 * z[:-2, 1:-1] + z[:-2, 2:]) - (z[2:, :-2] + 2 * z[2:, 1:-1] + z[2:, 2:])) / (8 * cell)
    steep = east * east + north * north
    shade = (np.sin(np.pi / 4) - np.cos(np.pi / 4) * (np.sin(np.radians(315)) * east + np.cos(np.radians(315)) * north)) / np.sqrt(1 + steep)
    write(out, np.stack([np.degrees(np.arctan(np.sqrt(steep))), np.maximum(shade, 0)]).astype(np.float32), planarconfig='separate')


def components(scene, out):
    """Of pixels that have all six bands; the largest entry of each component is positive."""
    bands = read(scene, range(6)).astype(np.float64).reshape(6, -1)
    valid = (bands != 0).all(axis=0)
    some = bands[:, valid]
    mean = some.mean(axis=1)
    values, vectors = np.linalg.eigh(np.cov(some))
    vectors = vectors[:, ::-1]
    vectors *= np.sign(vectors[np.abs(vectors).argmax(axis=0), range(6)])
    result = (vectors.T @ (bands - mean[:, None])).astype(np.float32)
    result[:, ~valid] = np.nan
    size = read(scene, [0]).shape[1:]
    write(out, result.reshape(6, *size), planarconfig='separate')


DIRECTIONS = [(0, 1), (1, -1), (1, 0), (1, 1)]


def levels(path):
    band = read(path).astype(np.float64)
    code = np.clip(((band - 8000) * (32 / 4000)).astype(np.int64), 0, 31)
    return code, band != 0


def texture(path, out):
    """Running sums over pairs in windows of 7, four directions; pairs with nodata and beyond the edge are left out."""
    code, valid = levels(path)
    code, valid = np.pad(code, 3), np.pad(valid, 3)
    result = np.zeros((3, code.shape[0] - 6, code.shape[1] - 6))

    def box(values, high, wide):
        sums = np.zeros((values.shape[0] + 1, values.shape[1] + 1))
        sums[1:, 1:] = values.cumsum(axis=0).cumsum(axis=1)
        return sums[high:, wide:] - sums[:-high, wide:] - sums[high:, :-wide] + sums[:-high, :-wide]
    for down, right in DIRECTIONS:
        left = max(0, -right)
        one = np.s_[:code.shape[0] - down, left:code.shape[1] - max(0, right)]
        other = np.s_[down:, max(0, right):code.shape[1] - left]
        pairs = valid[one] & valid[other]
        apart = np.abs(code[one] - code[other])
        high, wide = 7 - down, 7 - abs(right)
        number = box(pairs.astype(np.float64), high, wide)
        with np.errstate(invalid='ignore', divide='ignore'):
            for k, values in enumerate([apart * apart, apart, 1.0 / (1 + apart * apart)]):
                result[k] += box(np.where(pairs, values, 0.0), high, wide) / number
    result = (result / 4).astype(np.float32)
    result[:, ~valid[3:-3, 3:-3]] = np.nan
    write(out, result, planarconfig='separate')


def counts(path, out):
    """The matrix of each window by scikit-image; the edge, where windows are cut, is left out."""
    code, _ = levels(path)
    code = code.astype(np.uint8)
    result = np.full((2, *code.shape), np.nan, np.float32)
    for row in range(3, code.shape[0] - 3):
        for column in range(3, code.shape[1] - 3):
            matrix = feature.graycomatrix(code[row - 3:row + 4, column - 3:column + 4], [1], [0, np.pi / 4, np.pi / 2, 3 * np.pi / 4], 32, symmetric=True, normed=True)[:, :, 0]
            result[0, row, column] = (matrix ** 2).sum(axis=(0, 1)).mean()
            result[1, row, column] = -(matrix * np.log(np.where(matrix > 0, matrix, 1))).sum(axis=(0, 1)).mean()
    write(out, result, planarconfig='separate')


def sharpen(path, out):
    """Cubic convolution (Keys) along rows and columns, then the first component replaced."""
    pan = read(path).astype(np.float64)
    coarse = read(path.replace('pan.tif', 'coarse.tif')).astype(np.float64)
    side = coarse.shape[1]
    at = (np.arange(3 * side) + 0.5) / 3 - 0.5
    first = np.floor(at).astype(int)
    s = at - first
    weights = [keys(s + 1), keys(s), keys(1 - s), keys(2 - s)]
    places = [np.clip(first + k, 0, side - 1) for k in (-1, 0, 1, 2)]
    bands = np.empty((6, 3 * side, 3 * side))

    def part(band):
        along = sum(w[None, :] * coarse[band][:, p] for w, p in zip(weights, places))
        bands[band] = sum(w[:, None] * along[p] for w, p in zip(weights, places))
    with ThreadPoolExecutor(THREADS) as pool:
        list(pool.map(part, range(6)))
    flat = bands.reshape(6, -1)
    mean = flat.mean(axis=1)
    values, vectors = np.linalg.eigh(np.cov(flat))
    vector = vectors[:, -1]
    component = vector @ (flat - mean[:, None])
    fine = pan.ravel() - pan.mean()
    if fine @ component < 0:
        vector, component = -vector, -component
    flat += vector[:, None] * (fine * (component.std(ddof=1) / fine.std(ddof=1)) - component)
    write(out, bands.astype(np.float32), planarconfig='separate')


def speckle(path, out):
    """Lee's filter of 1980 by means of windows of 7; nodata is left out."""
    band = read(path).astype(np.float64)
    valid = band != 0
    share = ndimage.uniform_filter(valid.astype(np.float64), 7, mode='nearest')
    with np.errstate(invalid='ignore', divide='ignore'):
        mean = ndimage.uniform_filter(band, 7, mode='nearest') / share
        variance = np.maximum(0, ndimage.uniform_filter(band * band, 7, mode='nearest') / share - mean ** 2)
        grain = mean ** 2 / 4
        signal = np.maximum(0, (variance - grain) / 1.25)
        value = mean + signal / (grain + signal) * (band - mean)
    value[~valid] = np.nan
    write(out, value.astype(np.float32))


def coregister(path, out):
    """The same tie points by numpy's FFT, as many looks at each; then cubic splines of the shift."""
    reference, moving = read(path).astype(np.float32), read(path.replace('nir', 'beside')).astype(np.float32)
    height, width = reference.shape
    hann = np.outer(*[0.5 - 0.5 * np.cos(2 * np.pi * (np.arange(64) + 0.5) / 64)] * 2)
    f = np.fft.fftfreq(64)
    weight = np.exp(-0.5 * (f[:, None] ** 2 + f[None, :] ** 2) / 0.18 ** 2)

    def shift(a, b):
        spectrum = np.conj(np.fft.fft2((a - a.mean()) * hann)) * np.fft.fft2((b - b.mean()) * hann)
        peak = np.fft.ifft2(weight * spectrum / np.sqrt(np.abs(spectrum) + 1e-30)).real
        row, column = np.unravel_index(peak.argmax(), peak.shape)

        def between(p, q, r):
            return 0.5 * (p - r) / (p - 2 * q + r) if p - 2 * q + r < 0 else 0.0
        dc = column + between(peak[row, column - 1], peak[row, column], peak[row, (column + 1) % 64])
        dr = row + between(peak[row - 1, column], peak[row, column], peak[(row + 1) % 64, column])
        return dc - 64 * (dc > 32), dr - 64 * (dr > 32)
    found = []
    for row in np.linspace(0, height - 64, 20).round().astype(int):
        for column in np.linspace(0, width - 64, 20).round().astype(int):
            dc = dr = 0.0
            for _ in range(5):
                i, j = np.mgrid[0:64, 0:64].astype(np.float32)
                there = ndimage.map_coordinates(moving[max(0, row - 8):row + 72, max(0, column - 8):column + 72], [i + dr + min(8, row), j + dc + min(8, column)], order=3, mode='nearest')
                x, y = shift(reference[row:row + 64, column:column + 64], there)
                dc, dr = dc + x, dr + y
                if abs(x) + abs(y) < 0.01 or abs(dc) + abs(dr) > 12:
                    break
            found.append((dc, dr))
    dc, dr = np.median(found, axis=0)
    write(out, np.clip(np.rint(ndimage.shift(moving, (-dr, -dc), order=3, mode='nearest', output=np.float32)), 0, 65535).astype(np.uint16))
    return [float(dc), float(dr)]


def keys(x):
    """Cubic convolution's weight at a distance, a = -0.5 (Keys 1981)."""
    x = np.abs(x)
    return np.where(x <= 1, 1.5 * x ** 3 - 2.5 * x ** 2 + 1, np.where(x < 2, -0.5 * x ** 3 + 2.5 * x ** 2 - 4 * x + 2, 0))


def convolved(source, target):
    """Largest difference of some rows of an image from cubic convolution at positions by PROJ, where all sixteen are valid."""
    band, moved = read(source).astype(np.float64), read(target).astype(np.float64)
    worst = 0.0
    for top in (10, moved.shape[0] // 2, moved.shape[0] - 40):
        c, r = positions(source, target, (top, top + 8))
        c, r = c - 0.5, r - 0.5
        i, j = np.floor(c).astype(int), np.floor(r).astype(int)
        good = (i > 1) & (j > 1) & (i < band.shape[1] - 3) & (j < band.shape[0] - 3)
        i, j = np.where(good, i, 2), np.where(good, j, 2)
        value = np.zeros(c.shape)
        for b in range(-1, 3):
            for a in range(-1, 3):
                sample = band[j + b, i + a]
                good &= sample != 0
                value += keys(r - (j + b)) * keys(c - (i + a)) * sample
        worst = max(worst, float(np.abs(value - moved[top:top + 8])[good].max(initial=0)))
    return worst


def picture(scene, out):
    bands = read(scene, [2, 1, 0])
    shown = np.empty(bands.shape, np.uint8)
    for band, result in zip(bands, shown):
        valid = band[band != 0]
        low, high = np.percentile(valid[::max(1, valid.size // (1 << 20))], [2, 98])
        result[:] = np.where(band == 0, 0, np.clip(np.rint(1 + 254 * (band.astype(np.float32) - low) / (high - low)), 1, 255))
    write(out, shown, planarconfig='separate')


def draw(path, out):
    """As many points of each class, without replacement."""
    codes = read(path).ravel()
    random = np.random.default_rng(1)
    points = []
    for code in (1, 2):
        places = np.flatnonzero(codes == code)
        points += [{'code': code, 'at': int(place)} for place in random.choice(places, 250, replace=False)]
    with open(out, 'w') as file:
        json.dump(points, file)
    return [len(points)]


def matrix(path, out):
    """Codes of the map at the points against their labels; the map's own counts as weights."""
    codes = read(path)
    height, width = codes.shape
    with open(path.replace('map.tif', 'labelled.geojson')) as file:
        points = [feature['properties'] for feature in json.load(file)['features']]
    table = np.zeros((256, 256), np.int64)
    for point in points:
        table[codes[point['row'], point['column']], point['label']] += 1
    weights = np.bincount(codes.ravel(), minlength=256) / max(1, (codes != 255).sum())
    rows = table.sum(axis=1)
    with np.errstate(invalid='ignore'):
        adjusted = np.nansum(weights * np.diag(table) / rows)
    return [int(np.trace(table)), float(adjusted)]


def both(path):
    """Both dates, nodata as NaN."""
    dates = []
    for name in ('early', 'late'):
        bands = read(path.replace('early', name)).astype(np.float64)
        bands[bands == 0] = np.nan
        dates.append(bands)
    return dates


def difference(path, out):
    early, late = both(path)
    write(out, (late - early).astype(np.float32), planarconfig='separate')


def vector(path, out):
    red, nir = (read(path.replace('early', 'late'), [2, 3]).astype(np.float64) - read(path, [2, 3]).astype(np.float64))
    missing = np.isnan(both_bands(path, [2, 3])).any(axis=0)
    angle = np.degrees(np.arctan2(nir, red))
    angle[angle < 0] += 360
    result = np.stack([np.hypot(red, nir), np.where((red == 0) & (nir == 0), np.nan, angle)])
    result[:, missing] = np.nan
    write(out, result.astype(np.float32), planarconfig='separate')


def both_bands(path, bands):
    values = np.concatenate([read(path, bands), read(path.replace('early', 'late'), bands)]).astype(np.float64)
    values[values == 0] = np.nan
    return values


def mad(path, out, rounds=5):
    """Nielsen 2007, a fixed number of reweightings."""
    early, late = both(path)
    shape = early.shape[1:]
    x, y = early.reshape(len(early), -1), late.reshape(len(late), -1)
    good = ~np.isnan(x).any(axis=0) & ~np.isnan(y).any(axis=0)
    z = np.concatenate([x, y])[:, good]
    p, n = len(x), z.shape[1]
    weights = None
    for turn in range(rounds + 1):
        total = n if weights is None else weights.sum()
        mean = z.sum(axis=1) / n if weights is None else z @ weights / total
        apart = z - mean[:, None]
        covariance = (apart if weights is None else apart * weights) @ apart.T / total * n / (n - 1)
        s11, s12, s22 = covariance[:p, :p], covariance[:p, p:], covariance[p:, p:]
        l1, l2 = np.linalg.cholesky(s11), np.linalg.cholesky(s22)
        u, rho, v = np.linalg.svd(np.linalg.solve(l1, np.linalg.solve(l2, s12.T).T))
        a, b = np.linalg.solve(l1.T, u), np.linalg.solve(l2.T, v.T)
        variates = a.T @ apart[:p] - b.T @ apart[p:]
        chi = (variates ** 2 / (2 * (1 - rho))[:, None]).sum(axis=0)
        weights = stats.chi2.sf(chi, p)
    result = np.full((3, good.size), np.nan, np.float32)
    result[0, good], result[1, good], result[2, good] = weights, chi, np.sqrt(chi)
    write(out, result.reshape(3, *shape), planarconfig='separate')


def classes(path, out):
    """From one map to the other: pixels by pair, and the map of changes."""
    one, other = read(path).astype(np.uint16), read(path.replace('map1.tif', 'map2.tif')).astype(np.uint16)
    good = (one != 255) & (other != 255)
    pairs = one * 6 + other
    counts = np.bincount(pairs[good], minlength=36)
    table = np.zeros(65536, np.uint8)
    table[np.flatnonzero(counts)] = np.arange(1, (counts > 0).sum() + 1)
    write(out, np.where(good, table[pairs], 255).astype(np.uint8))
    return [float(sum(counts[7 * k] for k in range(1, 6)) / counts.sum())]


def outlines(path, out):
    """Rings of each class, corners cut: the nearest that the library has; no holes are told from shells, nothing is left out by size."""
    codes = read(path)
    features = []
    for code in (1, 2):
        for ring in measure.find_contours(np.pad(codes == code, 1).astype(np.float32), 0.5):
            features.append({'type': 'Feature', 'properties': {'code': code}, 'geometry': {'type': 'Polygon', 'coordinates': [ring.tolist()]}})
    with open(out, 'w') as file:
        json.dump({'type': 'FeatureCollection', 'features': features}, file)


def kernel(name, scene):
    width = read(scene, [3]).shape[2]
    rows = min(width, (4 << 20) // width)
    green, nir = read(scene, [1, 3])[:, :rows].astype(np.float64)
    raw = nir.astype(np.uint16).tobytes()
    nir[nir == 0] = np.nan
    green[green == 0] = np.nan

    def decode():
        value = np.frombuffer(raw, np.uint16).astype(np.float64)
        value[value == 0] = np.nan
        return [float(np.nansum(value))]

    def moments():
        return [float(np.nanmin(nir)), float(np.nanmax(nir)), float(np.nanmean(nir)), float(np.nanstd(nir))]

    def label():
        upper = nir >= 9600
        return [float(ndimage.label(upper)[1] + ndimage.label(nir < 9600)[1])]

    work = {
        'decode 16-bit': decode,
        'linear': lambda: [float(np.nansum(2e-5 * nir - 0.1))],
        'index': lambda: [float(np.nansum((green - nir) / (green + nir)))],
        'moments': moments,
        'histogram': lambda: np.histogram(nir[~np.isnan(nir)], bins=512, range=(0, 65536))[0].astype(float).tolist(),
        'halve': lambda: [float(np.nansum(np.nanmean(nir[:rows & ~1].reshape(rows // 2, 2, width // 2, 2), axis=(1, 3))))],
        'label': label,
        'encode float': lambda: [float(len(nir.astype(np.float32).tobytes()))],
    }[name]
    best = 1e9
    with np.errstate(invalid='ignore'), warnings.catch_warnings():
        warnings.simplefilter('ignore')
        for _ in range(4):
            start = time.perf_counter()
            value = work()
            best = min(best, time.perf_counter() - start)
    return {'seconds': best, 'value': value}


def agree(kind, ours, theirs):
    """Largest difference; for labels whether both cut the image into the same parts."""
    if kind == 'slice':
        a, b = read(ours).ravel(), read(theirs).ravel()
        pairs = np.unique(a.astype(np.uint64) << np.uint64(32) | b.astype(np.uint64))
        one_to_one = len(np.unique(pairs >> np.uint64(32))) == len(pairs) == len(np.unique(pairs & np.uint64(0xFFFFFFFF)))
        return {'agrees': bool(one_to_one), 'parts': int(len(pairs))}
    if kind == 'measure':
        b = np.load(theirs + '.npy')
        with np.load(ours) as arrays:
            a = np.stack([arrays[name] for name in MEASURES])
        worst = float(np.max(np.abs(a - b) / np.maximum(np.abs(b), 1)))
        return {'agrees': worst <= 1e-9, 'difference': worst}
    a, b = read(ours), read(theirs)
    a = a.reshape(b.shape)
    if kind in ('likelihood', 'nearest-mean', 'angle', 'forest', 'neighbours', 'support-vectors'):
        # rounding at borders of classes; forests and clusters begin elsewhere
        least = {'forest': 0.8, 'neighbours': 0.97, 'support-vectors': 0.995}.get(kind, 0.9999)
        return {'agrees': bool((a == b).mean() >= least), 'difference': float((a != b).mean())}
    if kind == 'reproject':
        worst = convolved(ours.replace('moved.tif', 'nir.tif'), ours)
        return {'agrees': worst <= 0.6, 'difference': worst}
    if kind == 'mosaic':
        # at the rim of the valid, weights of nothing differ
        a, b = read(ours).astype(int), read(theirs).astype(int)
        return {'agrees': bool(np.abs(a - b)[(a != 0) & (b != 0)].max() <= 1 and ((a != 0) == (b != 0)).mean() > 0.999)}
    if kind == 'picture':
        # sampled percentiles differ by a little
        return {'agrees': bool(np.abs(a.astype(np.int16) - b.astype(np.int16)).max() <= 3)}
    if kind == 'co-occurrence':
        a, b = a[:, 3:-3, 3:-3], b[:, 3:-3, 3:-3]
    if kind == 'components':
        # counts have levels of thousands: the last components are what rounding leaves of them
        worst = np.nanmax(np.abs(a - b))
        return {'agrees': bool(np.array_equal(np.isnan(a), np.isnan(b)) and worst <= 2e-2), 'difference': float(worst)}
    if kind == 'mad':
        return {'agrees': bool(np.nanmax(np.abs(a[0] - b[0])) <= 1e-5), 'difference': float(np.nanmax(np.abs(a[0] - b[0])))}
    if kind == 'median':
        # but beside nodata
        a, b = a[:, 300:], b[:, 300:]
    if not np.array_equal(np.isnan(a), np.isnan(b)) if a.dtype.kind == 'f' else False:
        return {'agrees': False, 'why': 'nodata differs'}
    difference = float(np.nanmax(np.abs(a.astype(np.float64) - b.astype(np.float64))))
    scale = float(np.nanmax(np.abs(b.astype(np.float64))))
    return {'agrees': difference <= 2e-6 * max(scale, 1.0), 'difference': difference}


MEASURES = ['pixels'] + [f'{what}({band})' for what in ('mean', 'deviation', 'minimum', 'maximum') for band in ('blue', 'green', 'red', 'nir', 'swir1', 'swir2')]
LIMIT = 0.0
BACK = pyproj.Transformer.from_crs('+proj=laea +lat_0=52 +lon_0=10 +x_0=4321000 +y_0=3210000 +ellps=GRS80', '+proj=utm +zone=32 +ellps=WGS84', always_xy=True)
CASES = {'index': index, 'calibrate': calibrate, 'slice': slices, 'merge': merge, 'measured': measured, 'filled': filled, 'smooth': smooth, 'taught': taught, 'sieve': sieve, 'statistics': statistics, 'overviews': overviews, 'gather': gather, 'bundle': bundle, 'picture': picture, 'draw': draw, 'difference': difference, 'vector': vector, 'mad': mad, 'classes': classes, 'matrix': matrix, 'outlines': outlines, 'reproject': reproject, 'mosaic': mosaic, 'dark': dark, 'surface': surface, 'terrain': terrain, 'formula': formula, 'mean': mean, 'gaussian': gaussian, 'median': median, 'relief': relief, 'components': components, 'texture': texture, 'counts': counts, 'sharpen': sharpen, 'speckle': speckle, 'coregister': coregister}

for line in sys.stdin:
    call = json.loads(line)
    if call['do'] == 'agree':
        answer = agree(call['case'], call['ours'], call['theirs'])
    elif call['do'] == 'kernel':
        answer = kernel(call['case'], call['in'])
    else:
        LIMIT = call.get('limit', 0.0)
        start = time.perf_counter()
        value = CASES[call['case']](call['in'], call['out'])
        answer = {'seconds': time.perf_counter() - start, 'value': value, 'memory': resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024}
    print(json.dumps(answer), flush=True)
