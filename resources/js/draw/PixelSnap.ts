import Interaction from 'ol/interaction/Interaction';
import type MapBrowserEvent from 'ol/MapBrowserEvent';
import type { Place } from '../views/geo';

const POINTING = ['pointermove', 'pointerdown', 'pointerdrag', 'pointerup', 'click', 'dblclick'];

/** Places pointed at become the nearest corner of a pixel, for the interactions that were added before it. */
export default class PixelSnap extends Interaction {
    constructor(private readonly corner: (place: Place) => Place) {
        super();
    }

    override handleEvent(event: MapBrowserEvent): boolean {
        if (POINTING.includes(event.type)) {
            event.coordinate = this.corner(event.coordinate as Place);
            event.pixel = event.map.getPixelFromCoordinate(event.coordinate);
        }
        return true;
    }
}
