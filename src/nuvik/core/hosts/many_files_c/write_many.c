/* Writing small files with their marks. */

#include "common.h"

typedef struct {
    unsigned int mode, user, group;
    long long accessed, changed;
    int owned, flush; /* whether owner and mode are given, and whether it is written to the medium at once */
} Marks;

static int write_all(int file, const char *data, size_t length) {
    while (length) {
        ssize_t written = write(file, data, length);
        if (written < 0 && errno == EINTR) continue;
        if (written < 0) return -1;
        data += written;
        length -= (size_t)written;
    }
    return 0;
}

static struct timespec moment_of(long long count) {
    struct timespec moment;
    long long rest = count % 1000000000;
    if (rest < 0) rest += 1000000000;
    moment.tv_nsec = (long)rest;
    moment.tv_sec = (time_t)((count - rest) / 1000000000);
    return moment;
}

/* Give an open file its marks: owner, then mode, then times. */
static int give_marks(int file, const Marks *marks) {
    struct timespec moments[2];
    struct stat facts;
    if (marks->owned) {
        if (fstat(file, &facts)) return -1;
        if (facts.st_uid != marks->user || facts.st_gid != marks->group) {
            /* A group may be out of reach: then that mark is looked at afterwards. */
            if (fchown(file, marks->user, marks->group) && (errno != EPERM || facts.st_uid != marks->user)) return -1;
        }
        if (fchmod(file, (mode_t)marks->mode)) return -1;
    }
    moments[0] = moment_of(marks->accessed);
    moments[1] = moment_of(marks->changed);
    return futimens(file, moments);
}

typedef struct {
    int folder, fault, marked;
    PyObject *held;
    const char *name, *contents;
    Py_ssize_t length;
    Marks marks;
} Writing;

/* Whether a file has its marks, but for the bits of its mode; -1: that could not be told. */
static int is_marked(int file, const Marks *marks) {
    struct stat facts;
    if (fstat(file, &facts)) return -1;
    if (nanoseconds(facts.CHANGED) != marks->changed) return 0;
    return !marks->owned || (facts.st_uid == marks->user && facts.st_gid == marks->group);
}

static void write_small(Writing *job) {
    int file = openat(job->folder, job->name, O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0600);
    if (file < 0 || write_all(file, job->contents, (size_t)job->length)) {
        job->fault = errno;
    } else {
        const int attributes = has_attributes(file);
        if (!attributes && give_marks(file, &job->marks)) job->fault = errno;
        if (!job->fault && job->marks.flush && fsync(file)) job->fault = errno;
        if (!job->fault && (job->marked = attributes ? 0 : is_marked(file, &job->marks)) < 0) job->fault = errno;
    }
    if (file >= 0 && close(file) && !job->fault) job->fault = errno;
}

static void write_one(void *given, size_t number) { write_small((Writing *)given + number); }

static void forget_writings(Writing *jobs, Py_ssize_t count) {
    for (Py_ssize_t number = 0; number < count; number++) Py_XDECREF(jobs[number].held);
    free(jobs);
}

/* write_many([(folder, name, contents, mode, user, group, accessed, changed, owned, flush), ...], width)
 * -> [whether it has its marks: a file that came with attributes still has to get them; or an error number, ...] */
PyObject *write_many(PyObject *self, PyObject *words) {
    PyObject *asked, *results;
    int width;
    Py_ssize_t count;
    Writing *jobs;
    (void)self;
    if (!PyArg_ParseTuple(words, "Oi", &asked, &width)) return NULL;
    if ((count = PyList_Size(asked)) < 0) return NULL;
    jobs = calloc((size_t)count + 1, sizeof(Writing));
    if (jobs == NULL) return PyErr_NoMemory();
    for (Py_ssize_t number = 0; number < count; number++) {
        Writing *job = &jobs[number];
        PyObject *name;
        if (!PyArg_ParseTuple(
                PyList_GetItem(asked, number), "iUy#IIILLpp", &job->folder, &name, &job->contents, &job->length,
                &job->marks.mode, &job->marks.user, &job->marks.group, &job->marks.accessed, &job->marks.changed,
                &job->marks.owned, &job->marks.flush) ||
            hold_name(name, &job->held, &job->name)) {
            forget_writings(jobs, count);
            return NULL;
        }
    }
    Py_BEGIN_ALLOW_THREADS
    all(write_one, jobs, (size_t)count, width);
    Py_END_ALLOW_THREADS
    results = PyList_New(count);
    for (Py_ssize_t number = 0; results != NULL && number < count; number++) {
        const Writing *job = &jobs[number];
        PyObject *result = job->fault ? PyLong_FromLong(job->fault) : PyBool_FromLong(job->marked);
        if (result == NULL || PyList_SetItem(results, number, result) < 0) Py_CLEAR(results);
    }
    forget_writings(jobs, count);
    return results;
}
