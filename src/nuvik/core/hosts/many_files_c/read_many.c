/* Reading small files whole. */

#include "common.h"

#ifndef O_DIRECT
#define O_DIRECT 0
#endif
#ifndef O_NOATIME
#define O_NOATIME 0
#endif

#define PAGE 4096

static void forget_cached(int file) {
#if defined(POSIX_FADV_DONTNEED)
    posix_fadvise(file, 0, 0, POSIX_FADV_DONTNEED);
#else
    (void)file;
#endif
}

/* Read up to `wanted` bytes from the beginning; the number got, or -1. */
static ssize_t read_all(int file, char *buffer, size_t wanted, int direct) {
    size_t got = 0;
    while (got < wanted) {
        size_t most = direct ? (wanted - got + PAGE - 1) / PAGE * PAGE : wanted - got;
        ssize_t more = pread(file, buffer + got, most, (off_t)got);
        if (more < 0 && errno == EINTR) continue;
        if (more < 0) return -1;
        got += (size_t)more;
        if (more == 0 || direct) break;
    }
    return (ssize_t)(got < wanted ? got : wanted);
}

static int open_to_read(int folder, const char *name, int past_cache, int *direct) {
    const int plain = O_RDONLY | O_NOFOLLOW | O_CLOEXEC | O_NONBLOCK;
    int file = -1;
    *direct = 0;
    if (past_cache && O_DIRECT) {
        file = openat(folder, name, plain | O_DIRECT | O_NOATIME);
        if (file >= 0) {
            *direct = 1;
        } else if (errno != EINVAL && errno != EPERM && errno != ENOTSUP) {
            return -1;
        }
    }
    if (file < 0) file = openat(folder, name, plain | O_NOATIME);
    if (file < 0 && errno == EPERM) file = openat(folder, name, plain); /* only the owner may leave its time alone */
    if (file >= 0 && past_cache) forget_cached(file);
    return file;
}

typedef struct {
    int folder, fault, attributes;
    PyObject *held;
    const char *name;
    char *contents; /* NULL when it is no small file without holes */
    ssize_t length;
} Reading;

static void read_small(Reading *job, int64_t most, int past_cache) {
    struct stat facts;
    int direct = 0, file = open_to_read(job->folder, job->name, past_cache, &direct);
    if (file < 0 || fstat(file, &facts)) {
        job->fault = errno;
    } else {
        job->attributes = has_attributes(file);
        if (S_ISREG(facts.st_mode) && facts.st_size <= most &&
            facts.st_blocks * 512 >= facts.st_size) {
            size_t size = (size_t)facts.st_size, room = (size / PAGE + 1) * PAGE;
            void *buffer = NULL;
            if (posix_memalign(&buffer, PAGE, room)) {
                job->fault = ENOMEM;
            } else {
                job->contents = buffer;
                job->length = read_all(file, buffer, size, direct);
                if (direct && (job->length < 0 || (size_t)job->length < size)) {
                    /* What is read directly cannot always be continued. */
                    int flags = fcntl(file, F_GETFL);
                    if (flags >= 0 && fcntl(file, F_SETFL, flags & ~O_DIRECT) == 0) {
                        job->length = read_all(file, buffer, size, 0);
                    }
                }
                if (job->length < 0) job->fault = errno;
            }
        }
    }
    if (file >= 0) close(file);
}

typedef struct {
    Reading *jobs;
    int64_t most;
    int past_cache;
} ReadBatch;

static void read_one(void *given, size_t number) {
    ReadBatch *batch = given;
    read_small(&batch->jobs[number], batch->most, batch->past_cache);
}

static void forget_readings(Reading *jobs, Py_ssize_t count) {
    for (Py_ssize_t number = 0; number < count; number++) {
        free(jobs[number].contents);
        Py_XDECREF(jobs[number].held);
    }
    free(jobs);
}

static PyObject *reading_result(const Reading *job) {
    if (job->fault) return PyLong_FromLong(job->fault);
    PyObject *attributes = job->attributes ? Py_True : Py_False;
    if (job->contents == NULL) return Py_BuildValue("(OO)", Py_None, attributes);
    return Py_BuildValue("(y#O)", job->contents, (Py_ssize_t)job->length, attributes);
}

/* read_many([(folder, name), ...], most bytes, past cache, width)
 * -> [(contents or None, whether it has attributes), or an error number, ...] */
PyObject *read_many(PyObject *self, PyObject *words) {
    PyObject *asked, *results = NULL;
    long long most;
    int past_cache, width;
    Py_ssize_t count;
    ReadBatch batch;
    (void)self;
    if (!PyArg_ParseTuple(words, "OLpi", &asked, &most, &past_cache, &width)) return NULL;
    if ((count = PyList_Size(asked)) < 0) return NULL;
    batch.jobs = calloc((size_t)count + 1, sizeof(Reading));
    if (batch.jobs == NULL) return PyErr_NoMemory();
    batch.most = most;
    batch.past_cache = past_cache;
    for (Py_ssize_t number = 0; number < count; number++) {
        Reading *job = &batch.jobs[number];
        PyObject *name;
        if (!PyArg_ParseTuple(PyList_GetItem(asked, number), "iU", &job->folder, &name) ||
            hold_name(name, &job->held, &job->name)) {
            forget_readings(batch.jobs, count);
            return NULL;
        }
    }
    Py_BEGIN_ALLOW_THREADS
    all(read_one, &batch, (size_t)count, width);
    Py_END_ALLOW_THREADS
    results = PyList_New(count);
    for (Py_ssize_t number = 0; results != NULL && number < count; number++) {
        PyObject *result = reading_result(&batch.jobs[number]);
        if (result == NULL || PyList_SetItem(results, number, result) < 0) Py_CLEAR(results);
    }
    forget_readings(batch.jobs, count);
    return results;
}
