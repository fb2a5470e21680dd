/* What the parts share: see common.h. */

#include "common.h"

#include <pthread.h>

#define MOST_HELPERS 15

int64_t nanoseconds(struct timespec moment) {
    if (moment.tv_sec >= INT64_MAX / 1000000000) return INT64_MAX;
    if (moment.tv_sec <= INT64_MIN / 1000000000) return INT64_MIN;
    return (int64_t)moment.tv_sec * 1000000000 + moment.tv_nsec;
}

/* A number in decimal digits, of which there are at most twenty; where they end. */
static char *digits(unsigned long long number, char *at) {
    char backwards[20];
    int count = 0;
    do {
        backwards[count++] = (char)('0' + number % 10);
    } while (number /= 10);
    while (count) *at++ = backwards[--count];
    return at;
}

int which_file(const struct stat *facts, char which[WHICH_LENGTH]) {
    char *at = digits((unsigned long long)facts->st_dev, which); /* many times as quick as to print it */
    *at++ = ':';
    at = digits((unsigned long long)facts->st_ino, at);
    *at = '\0';
    return (int)(at - which);
}

#if defined(__linux__)
unsigned int flags_of(int file) {
    unsigned int flags[4] = {0, 0, 0, 0}; /* the call is made for a long and fills an int */
    return ioctl(file, FS_IOC_GETFLAGS, flags) == 0 ? flags[0] : 0;
}
#endif

int has_attributes(int file) {
#if defined(__linux__)
    return flistxattr(file, NULL, 0) > 0 || (flags_of(file) & CARRIED_FLAGS) != 0;
#else
    (void)file;
    return 1; /* not known here: the plain way looks */
#endif
}

int hold_name(PyObject *name, PyObject **held, const char **bytes) {
    *held = PyUnicode_EncodeFSDefault(name);
    if (*held == NULL || (*bytes = PyBytes_AsString(*held)) == NULL) return -1;
    if (strlen(*bytes) == (size_t)PyBytes_Size(*held)) return 0;
    PyErr_SetString(PyExc_ValueError, "embedded null character");
    return -1;
}

typedef struct {
    void (*work)(void *batch, size_t number);
    void *batch;
    size_t count, next;
    pthread_mutex_t lock;
} Flight;

static void *fly(void *given) {
    Flight *flight = given;
    for (;;) {
        size_t number;
        pthread_mutex_lock(&flight->lock);
        number = flight->next++;
        pthread_mutex_unlock(&flight->lock);
        if (number >= flight->count) return NULL;
        flight->work(flight->batch, number);
    }
}

void all(void (*work)(void *, size_t), void *batch, size_t count, int width) {
    pthread_t helpers[MOST_HELPERS];
    int helping = 0;
    Flight flight = {work, batch, count, 0, PTHREAD_MUTEX_INITIALIZER};
    while (helping < width - 1 && helping < MOST_HELPERS && (size_t)helping + 1 < count) {
        if (pthread_create(&helpers[helping], NULL, fly, &flight)) break;
        helping++;
    }
    fly(&flight);
    while (helping) pthread_join(helpers[--helping], NULL);
    pthread_mutex_destroy(&flight.lock);
}
