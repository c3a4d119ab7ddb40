/* The temperature at which a pyrometric cone bends, in degrees Celsius. */
int Java_org_example_terrafuoco_FiringLog_cone(void *env, void *self, int cone) {
  (void)env; (void)self;
  return cone >= 1 ? 1137 + 17 * cone : 600 + 25 * -cone;
}
