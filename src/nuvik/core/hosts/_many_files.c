/* Very many small files: looking at all entries of a folder, reading files whole, and writing them with their marks.
 *
 * Each does in one call, without holding Python's lock, what Nuvik else does file by file. Nuvik works without it:
 * it is built where a C compiler is at hand when Nuvik is installed (see hatch_build.py).
 */

#define _GNU_SOURCE /* O_DIRECT, O_NOATIME */
#define Py_LIMITED_API 0x030B0000
#define PY_SSIZE_T_CLEAN
#include <Python.h>

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <pthread.h>
#include <signal.h>
#include <stdint.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/types.h>
#include <unistd.h>
#if defined(__linux__)
#include <linux/fs.h>
#include <sys/ioctl.h>
#include <sys/xattr.h>
#define CARRIED_FLAGS (FS_SYNC_FL | FS_NODUMP_FL | FS_NOATIME_FL | FS_DIRSYNC_FL) /* as in syscalls.py */
#endif

#ifndef O_DIRECT
#define O_DIRECT 0
#endif
#ifndef O_NOATIME
#define O_NOATIME 0
#endif

#define PAGE 4096
#define MOST_HELPERS 15

#if defined(__APPLE__)
#define ACCESSED st_atimespec
#define CHANGED st_mtimespec
#define ALTERED st_ctimespec
#else
#define ACCESSED st_atim
#define CHANGED st_mtim
#define ALTERED st_ctim
#endif

/* Beyond what 64 bits hold (the years 1677 to 2262) it is the bound: checks refuse such times by name. */
static int64_t nanoseconds(struct timespec moment) {
    if (moment.tv_sec >= INT64_MAX / 1000000000) return INT64_MAX;
    if (moment.tv_sec <= INT64_MIN / 1000000000) return INT64_MIN;
    return (int64_t)moment.tv_sec * 1000000000 + moment.tv_nsec;
}

/* (mode, size, user, group, accessed, changed, altered, device, inode, names, blocks) */
static PyObject *facts_of(const struct stat *facts) {
    return Py_BuildValue(
        "(IlIIlllKKll)", (unsigned int)facts->st_mode, (long)facts->st_size, (unsigned int)facts->st_uid,
        (unsigned int)facts->st_gid, (long)nanoseconds(facts->ACCESSED), (long)nanoseconds(facts->CHANGED),
        (long)nanoseconds(facts->ALTERED), (unsigned long long)facts->st_dev, (unsigned long long)facts->st_ino,
        (long)facts->st_nlink, (long)facts->st_blocks);
}

/* -- looking ------------------------------------------------------------------------------------------------------ */

typedef struct {
    char *name;
    int fault;
    struct stat facts;
} Entry;

static int by_name(const void *one, const void *other) {
    return strcmp(((const Entry *)one)->name, ((const Entry *)other)->name);
}

static void forget(Entry *entries, size_t count) {
    for (size_t number = 0; number < count; number++) free(entries[number].name);
    free(entries);
}

/* All entries of an open folder; 0, or an error number. */
static int look(int folder, Entry **entries, size_t *count) {
    size_t room = 0;
    int fault = 0, again = openat(folder, ".", O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    DIR *listing = again < 0 ? NULL : fdopendir(again);
    struct dirent *item;
    if (listing == NULL) {
        fault = errno;
        if (again >= 0) close(again);
        return fault;
    }
    for (;;) {
        errno = 0;
        item = readdir(listing);
        if (item == NULL) {
            fault = errno;
            break;
        }
        if (strcmp(item->d_name, ".") == 0 || strcmp(item->d_name, "..") == 0) continue;
        if (*count == room) {
            Entry *larger = realloc(*entries, (room = room ? room * 2 : 64) * sizeof(Entry));
            if (larger == NULL) {
                fault = ENOMEM;
                break;
            }
            *entries = larger;
        }
        Entry *entry = *entries + *count;
        entry->name = strdup(item->d_name);
        if (entry->name == NULL) {
            fault = ENOMEM;
            break;
        }
        (*count)++;
        entry->fault = fstatat(folder, item->d_name, &entry->facts, AT_SYMLINK_NOFOLLOW) ? errno : 0;
    }
    closedir(listing);
    if (*count) qsort(*entries, *count, sizeof(Entry), by_name);
    return fault;
}

static PyObject *list_entries(PyObject *self, PyObject *words) {
    int folder, fault;
    Entry *entries = NULL;
    size_t count = 0;
    PyObject *list = NULL;
    (void)self;
    if (!PyArg_ParseTuple(words, "i", &folder)) return NULL;
    Py_BEGIN_ALLOW_THREADS
    fault = look(folder, &entries, &count);
    Py_END_ALLOW_THREADS
    if (fault) {
        errno = fault;
        PyErr_SetFromErrno(PyExc_OSError);
    } else {
        list = PyList_New((Py_ssize_t)count);
    }
    for (size_t number = 0; list != NULL && number < count; number++) {
        PyObject *name = PyUnicode_DecodeFSDefault(entries[number].name), *facts, *pair = NULL;
        facts = entries[number].fault ? PyLong_FromLong(entries[number].fault) : facts_of(&entries[number].facts);
        if (name != NULL && facts != NULL) pair = PyTuple_Pack(2, name, facts);
        Py_XDECREF(name);
        Py_XDECREF(facts);
        if (pair == NULL || PyList_SetItem(list, (Py_ssize_t)number, pair) < 0) Py_CLEAR(list);
    }
    forget(entries, count);
    return list;
}

/* -- reading ------------------------------------------------------------------------------------------------------ */

static int has_attributes(int file) {
#if defined(__linux__)
    unsigned int flags[4] = {0, 0, 0, 0}; /* the call is made for a long and fills an int */
    if (flistxattr(file, NULL, 0) > 0) return 1;
    return ioctl(file, FS_IOC_GETFLAGS, flags) == 0 && (flags[0] & CARRIED_FLAGS) != 0;
#else
    (void)file;
    return 1; /* not known here: the plain way looks */
#endif
}

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
    const char *name;
    struct stat facts;
    char *contents; /* NULL when it is no small file without holes */
    ssize_t length;
} Reading;

static void read_small(Reading *job, int64_t most, int past_cache) {
    int direct = 0, file = open_to_read(job->folder, job->name, past_cache, &direct);
    job->contents = NULL;
    job->fault = 0;
    if (file < 0 || fstat(file, &job->facts)) {
        job->fault = errno;
    } else {
        job->attributes = has_attributes(file);
        if (S_ISREG(job->facts.st_mode) && job->facts.st_size <= most &&
            job->facts.st_blocks * 512 >= job->facts.st_size) {
            size_t size = (size_t)job->facts.st_size, room = (size / PAGE + 1) * PAGE;
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

/* -- several at a time --------------------------------------------------------------------------------------------- */

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

/* Do every job of a batch, `width` at a time. */
static void all(void (*work)(void *, size_t), void *batch, size_t count, int width) {
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

typedef struct {
    Reading *jobs;
    int64_t most;
    int past_cache;
} ReadBatch;

static void read_one(void *given, size_t number) {
    ReadBatch *batch = given;
    read_small(&batch->jobs[number], batch->most, batch->past_cache);
}

static PyObject *reading_result(const Reading *job) {
    PyObject *contents, *known, *result = NULL;
    if (job->fault) return PyLong_FromLong(job->fault);
    contents = job->contents ? PyBytes_FromStringAndSize(job->contents, job->length) : Py_NewRef(Py_None);
    known = facts_of(&job->facts);
    if (contents != NULL && known != NULL) result = Py_BuildValue("(OOi)", contents, known, job->attributes);
    Py_XDECREF(contents);
    Py_XDECREF(known);
    return result;
}

/* read_many([(folder, name as bytes), ...], most bytes, past cache, width)
 * -> [(contents or None, facts, whether it has attributes), or an error number, ...] */
static PyObject *read_many(PyObject *self, PyObject *words) {
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
        if (!PyArg_ParseTuple(PyList_GetItem(asked, number), "iy", &job->folder, &job->name)) {
            free(batch.jobs);
            return NULL;
        }
    }
    Py_BEGIN_ALLOW_THREADS
    all(read_one, &batch, (size_t)count, width);
    Py_END_ALLOW_THREADS
    results = PyList_New(count);
    for (Py_ssize_t number = 0; number < count; number++) {
        PyObject *result = results ? reading_result(&batch.jobs[number]) : NULL;
        free(batch.jobs[number].contents);
        if (result == NULL || PyList_SetItem(results, number, result) < 0) Py_CLEAR(results);
    }
    free(batch.jobs);
    return results;
}

/* -- writing ------------------------------------------------------------------------------------------------------ */

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
    int folder, fault, attributes;
    const char *name, *contents;
    Py_ssize_t length;
    Marks marks;
    struct stat facts;
} Writing;

static void write_small(Writing *job) {
    int file = openat(job->folder, job->name, O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0600);
    job->fault = 0;
    if (file < 0 || write_all(file, job->contents, (size_t)job->length)) {
        job->fault = errno;
    } else {
        job->attributes = has_attributes(file);
        if (!job->attributes && give_marks(file, &job->marks)) job->fault = errno;
        if (!job->fault && job->marks.flush && fsync(file)) job->fault = errno;
        if (!job->fault && fstat(file, &job->facts)) job->fault = errno;
    }
    if (file >= 0 && close(file) && !job->fault) job->fault = errno;
}

static void write_one(void *given, size_t number) { write_small((Writing *)given + number); }

/* write_many([(folder, name as bytes, contents, mode, user, group, accessed, changed, owned, flush), ...], width)
 * -> [(facts, whether it has attributes: then its marks are still to be given), or an error number, ...] */
static PyObject *write_many(PyObject *self, PyObject *words) {
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
        if (!PyArg_ParseTuple(
                PyList_GetItem(asked, number), "iyy#IIILLpp", &job->folder, &job->name, &job->contents, &job->length,
                &job->marks.mode, &job->marks.user, &job->marks.group, &job->marks.accessed, &job->marks.changed,
                &job->marks.owned, &job->marks.flush)) {
            free(jobs);
            return NULL;
        }
    }
    Py_BEGIN_ALLOW_THREADS
    all(write_one, jobs, (size_t)count, width);
    Py_END_ALLOW_THREADS
    results = PyList_New(count);
    for (Py_ssize_t number = 0; number < count; number++) {
        const Writing *job = &jobs[number];
        PyObject *result = NULL, *known;
        if (results != NULL && job->fault) {
            result = PyLong_FromLong(job->fault);
        } else if (results != NULL && (known = facts_of(&job->facts)) != NULL) {
            result = Py_BuildValue("(Ni)", known, job->attributes);
        }
        if (result == NULL || PyList_SetItem(results, number, result) < 0) Py_CLEAR(results);
    }
    free(jobs);
    return results;
}

/* -- looking inside -------------------------------------------------------------------------------------------------- */

#if defined(__linux__)

enum { NOT_WRITTEN, WRITTEN, NOT_KNOWN };

/* Whether anybody may write to an open file; as `syscalls.is_written_elsewhere`. */
static int written_elsewhere(int file) {
    if (fcntl(file, F_SETSIG, SIGURG) || fcntl(file, F_SETLEASE, F_RDLCK)) return errno == EAGAIN ? WRITTEN : NOT_KNOWN;
    fcntl(file, F_SETLEASE, F_UNLCK);
    return NOT_WRITTEN;
}

typedef struct {
    int folder, fault, written, attributes;
    const char *name;
    unsigned int flags;
} Inside;

static void look_inside(void *given, size_t number) {
    Inside *job = (Inside *)given + number;
    struct stat facts;
    unsigned int flags[4] = {0, 0, 0, 0};
    int file = openat(job->folder, job->name, O_RDONLY | O_NOFOLLOW | O_CLOEXEC | O_NONBLOCK);
    if (file < 0 || fstat(file, &facts)) {
        job->fault = errno;
    } else {
        job->written = S_ISREG(facts.st_mode) ? written_elsewhere(file) : NOT_KNOWN;
        job->attributes = has_attributes(file);
        if (ioctl(file, FS_IOC_GETFLAGS, flags) == 0) job->flags = flags[0];
    }
    if (file >= 0) close(file);
}

/* look_many(folder, [name as bytes, ...], width) -> [(flags, 0 not written, 1 written, 2 not known, has attributes), or an
 * error number, ...] */
static PyObject *look_many(PyObject *self, PyObject *words) {
    PyObject *names, *results;
    int folder, width;
    Py_ssize_t count;
    Inside *jobs;
    (void)self;
    if (!PyArg_ParseTuple(words, "iOi", &folder, &names, &width)) return NULL;
    if ((count = PyList_Size(names)) < 0) return NULL;
    jobs = calloc((size_t)count + 1, sizeof(Inside));
    if (jobs == NULL) return PyErr_NoMemory();
    for (Py_ssize_t number = 0; number < count; number++) {
        jobs[number].folder = folder;
        jobs[number].name = PyBytes_AsString(PyList_GetItem(names, number));
        if (jobs[number].name == NULL) {
            free(jobs);
            return NULL;
        }
    }
    Py_BEGIN_ALLOW_THREADS
    all(look_inside, jobs, (size_t)count, width);
    Py_END_ALLOW_THREADS
    results = PyList_New(count);
    for (Py_ssize_t number = 0; number < count; number++) {
        const Inside *job = &jobs[number];
        PyObject *result = NULL;
        if (results != NULL) {
            result = job->fault ? PyLong_FromLong(job->fault)
                                : Py_BuildValue("(Iii)", job->flags, job->written, job->attributes);
        }
        if (result == NULL || PyList_SetItem(results, number, result) < 0) Py_CLEAR(results);
    }
    free(jobs);
    return results;
}

#endif

/* -- removing ------------------------------------------------------------------------------------------------------ */

typedef struct {
    const char *name;
    int expected; /* whether it has to be what is said of it */
    unsigned long long device, inode;
    long long size, changed; /* -1 and any time: these do not count */
} Going;

static int is_as_expected(int folder, const Going *going, int *gone) {
    struct stat facts;
    if (fstatat(folder, going->name, &facts, AT_SYMLINK_NOFOLLOW)) return errno == ENOENT ? (*gone = 1, 0) : -1;
    if (!going->expected) return 1;
    if ((unsigned long long)facts.st_dev != going->device || (unsigned long long)facts.st_ino != going->inode) return 0;
    return going->size < 0 || (facts.st_size == going->size && nanoseconds(facts.CHANGED) == going->changed);
}

/* remove_many(folder, [(name as bytes, expected, device, inode, size or -1, changed), ...])
 * -> (how many were dealt with, 0 or the error number of the next); what is not as expected stays. */
static PyObject *remove_many(PyObject *self, PyObject *words) {
    PyObject *asked;
    int folder, fault = 0;
    Py_ssize_t count, done = 0;
    Going *jobs;
    (void)self;
    if (!PyArg_ParseTuple(words, "iO", &folder, &asked)) return NULL;
    if ((count = PyList_Size(asked)) < 0) return NULL;
    jobs = calloc((size_t)count + 1, sizeof(Going));
    if (jobs == NULL) return PyErr_NoMemory();
    for (Py_ssize_t number = 0; number < count; number++) {
        Going *job = &jobs[number];
        if (!PyArg_ParseTuple(
                PyList_GetItem(asked, number), "ypKKLL", &job->name, &job->expected, &job->device, &job->inode,
                &job->size, &job->changed)) {
            free(jobs);
            return NULL;
        }
    }
    Py_BEGIN_ALLOW_THREADS
    for (; done < count; done++) {
        int gone = 0, good = jobs[done].expected ? is_as_expected(folder, &jobs[done], &gone) : 1;
        if (good < 0 || (good > 0 && unlinkat(folder, jobs[done].name, 0))) {
            fault = errno;
            break;
        }
    }
    Py_END_ALLOW_THREADS
    free(jobs);
    return Py_BuildValue("(ni)", done, fault);
}

static PyMethodDef methods[] = {
    {"list_entries", list_entries, METH_VARARGS, "The entries of an open folder, by the bytes of their names."},
    {"read_many", read_many, METH_VARARGS, "The contents of files that are small and have no holes, and their facts."},
#if defined(__linux__)
    {"look_many", look_many, METH_VARARGS, "What only opening files and folders tells of them."},
#endif
    {"remove_many", remove_many, METH_VARARGS, "Remove files and links that are as they were looked at."},
    {"write_many", write_many, METH_VARARGS, "Write new files with their marks."},
    {NULL, NULL, 0, NULL},
};

static struct PyModuleDef module = {PyModuleDef_HEAD_INIT, "_many_files", NULL, -1, methods, NULL, NULL, NULL, NULL};

PyMODINIT_FUNC PyInit__many_files(void) { return PyModule_Create(&module); }
