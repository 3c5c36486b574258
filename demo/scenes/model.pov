// A brass model of the orrery. The clock runs once over the whole clip.
#version 3.7;
global_settings { assumed_gamma 1.0 }
#include "model-brass.inc"

camera {
  location <0, 2.4, -4.2>
  right x * image_width / image_height
  look_at <0, 0.1, 0>
  angle 48
}
light_source { <4, 6, -5> rgb <1.0, 0.95, 0.85> }
light_source { <-5, 2, -2> rgb 0.25 }

sphere { 0, 0.42 texture { Brass } }
cylinder { <0, -1.2, 0>, <0, 0, 0>, 0.06 texture { Brass } }

#macro Planet(Ring, Radius, Start, Colour)
  torus { Ring, 0.018 texture { Brass } }
  sphere {
    <Ring, 0, 0>, Radius
    pigment { rgb Colour }
    finish { specular 0.5 roughness 0.02 }
    rotate y * 360 * (clock + Start)
  }
#end

Planet(0.8, 0.10, 0.00, <0.72, 0.60, 0.48>)
Planet(1.2, 0.14, 0.35, <0.25, 0.45, 0.85>)
Planet(1.7, 0.18, 0.60, <0.78, 0.30, 0.18>)
