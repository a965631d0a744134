<?php

namespace Chorometra\Core\Step;

enum FigureType
{
    case Value;
    case Text;
    case List;
    case Named;
    case Table;
    case Classes;
    case Images;
    case Curve;
    case Histogram;
    case Apart;
}
